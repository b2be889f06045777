<script lang="ts">
  import { Button } from 'carbon-components-svelte';
  import type { ActionData, PageData } from './$types';

  let { data, form }: { data: PageData; form: ActionData } = $props();
  const kind = $derived(data.channel === 'email' ? 'emails' : 'texts');
</script>

<svelte:head><title>Unsubscribe · {data.sender}</title></svelte:head>

<main>
  <h1>{data.sender}</h1>
  {#if form?.done || data.withdrawn}
    <p role="status"><strong>{data.address}</strong> is unsubscribed. No more {kind} from us will be sent to it.</p>
  {:else}
    <p>Stop all {kind} from us to <strong>{data.address}</strong>?</p>
    <form method="post"><Button type="submit">Unsubscribe</Button></form>
    <p class="soft">Nothing changes until you press the button.</p>
  {/if}
</main>

<style>
  main {
    max-width: 32rem;
    margin: 4rem auto;
    padding: 2rem;
    background: var(--surface);
    border: 1px solid var(--rule);
  }
  h1 {
    margin-bottom: 1rem;
    font-size: 1.125rem;
    font-weight: 700;
  }
  p {
    margin: 1rem 0;
  }
  .soft {
    color: var(--ink-soft);
  }
</style>
