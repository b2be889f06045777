<script lang="ts">
  import { page } from '$app/state';
  import { onMount } from 'svelte';

  /** Inside the frame the page has its main region already. */
  let { inFrame = false }: { inFrame?: boolean } = $props();

  /** Where there is a hint the trouble passes by itself: look every three seconds whether it has. */
  onMount(() => {
    if (!page.error?.hint) return;
    const timer = setInterval(() => {
      void fetch('/health').then(
        (r) => r.ok && location.reload(),
        () => undefined
      );
    }, 3000);
    return () => clearInterval(timer);
  });
</script>

<svelte:head><title>{page.status} · Ambulo</title></svelte:head>

<svelte:element this={inFrame ? 'section' : 'main'} class="trouble">
  <h1>{page.error?.message}</h1>
  {#if page.error?.hint}<p>{page.error.hint}</p>{/if}
  <p class="soft">{page.status}</p>
  {#if page.data['user']}<p><a href="/">Back to Today</a></p>{/if}
</svelte:element>

<style>
  .trouble {
    max-width: 36rem;
    margin: 12vh auto 0;
    padding: 2rem;
    background: var(--surface);
    border: 1px solid var(--rule);
  }
  h1 {
    font-size: 1.125rem;
    font-weight: 700;
  }
  p {
    margin-top: 0.75rem;
  }
</style>
