<script lang="ts">
  import { Button } from 'carbon-components-svelte';
  import Plain from '$ui/frame/Plain.svelte';
  import type { ActionData, PageData } from './$types';

  let { data, form }: { data: PageData; form: ActionData } = $props();
  const kind = $derived(data.channel === 'email' ? 'emails' : 'texts');
</script>

<Plain title={data.sender} tab="Unsubscribe">
  {#if form?.done || data.withdrawn}
    <p role="status"><strong>{data.address}</strong> is unsubscribed. No more {kind} from us will be sent to it.</p>
  {:else}
    <p>Stop all {kind} from us to <strong>{data.address}</strong>?</p>
    <form method="post"><Button type="submit">Unsubscribe</Button></form>
    <p class="soft">Nothing changes until you press the button.</p>
  {/if}
</Plain>
