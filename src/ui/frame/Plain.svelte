<!-- A page for people who have no account here: one question, one button. -->
<script lang="ts">
  import type { Snippet } from 'svelte';

  /** `title`: who asks. `tab`: what is asked, in the browser's tab. */
  let { title, tab, children }: { title: string; tab: string; children: Snippet } = $props();
</script>

<svelte:head><title>{tab} · {title}</title></svelte:head>

<main>
  <h1>{title}</h1>
  {@render children()}
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
  main :global(p) {
    margin: 1rem 0;
  }
  main :global(.soft) {
    color: var(--ink-soft);
  }
</style>
