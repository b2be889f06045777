<!-- A page about people: its name, what stands beside that, what came of the last act, and below it columns side by side. -->
<script lang="ts">
  import type { Snippet } from 'svelte';

  interface Props {
    title: string;
    /** Widths of the columns, as a grid says them. */
    columns: string;
    problem?: string | undefined;
    done?: string | undefined;
    /** Beside the title. */
    head?: Snippet;
    /** Between that and the columns. */
    told?: Snippet;
    children: Snippet;
  }
  let { title, columns, problem = '', done = '', head, told, children }: Props = $props();
</script>

<svelte:head><title>{title} · Ambulo</title></svelte:head>

<div class="page">
  <header>
    <h1>{title}</h1>
    {@render head?.()}
  </header>
  {#if problem}<p class="problem" role="alert">{problem}</p>{/if}
  {#if done}<p class="done" role="status">{done}</p>{/if}
  {@render told?.()}
  <div class="beside" style:grid-template-columns={columns}>{@render children()}</div>
</div>

<style>
  .page {
    padding: 16px 24px;
  }
  header {
    display: flex;
    gap: 20px;
    align-items: center;
    margin-bottom: 10px;
  }
  h1 {
    flex: none;
    font-size: 20px;
    font-weight: 700;
  }
  .beside {
    display: grid;
    gap: 12px;
    align-items: start;
  }
  .problem {
    margin-bottom: 8px;
    color: var(--failure);
  }
  .done {
    margin-bottom: 8px;
    color: var(--done);
  }
</style>
