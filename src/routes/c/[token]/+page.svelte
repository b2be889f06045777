<script lang="ts">
  import { Button } from 'carbon-components-svelte';
  import Plain from '$ui/frame/Plain.svelte';
  import type { ActionData, PageData } from './$types';

  let { data, form }: { data: PageData; form: ActionData } = $props();
  const kind = $derived(data.channel === 'email' ? 'emails' : 'texts');
</script>

<Plain title={data.sender} tab="Confirm">
  {#if data.withdrawn}
    <p role="status">
      Since this was sent, {kind} to <strong>{data.address}</strong> were unsubscribed. This link does not bring them back.
    </p>
  {:else if data.moved}
    <p role="status">
      This link was for <strong>{data.address}</strong>, which is not your address with us any more. Nothing was
      changed.
    </p>
  {:else if form?.done || data.given}
    <p role="status">Thank you. We may send {kind} to <strong>{data.address}</strong>. Each has a way to stop them.</p>
  {:else}
    <p>May we send {kind} to <strong>{data.address}</strong>?</p>
    <form method="post"><Button type="submit">Yes, send me {kind}</Button></form>
    <p class="soft">Nothing changes until you press the button.</p>
  {/if}
</Plain>
