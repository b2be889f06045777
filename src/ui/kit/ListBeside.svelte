<!-- A list at the left, each line leading to what stands beside it: who or what, when, and a second line. -->
<script lang="ts" module>
  export interface ListedLine {
    id: string;
    href: string;
    title: string;
    /** When, as shown. */
    time: string;
    detail: string;
    here: boolean;
    unread?: boolean;
  }
</script>

<script lang="ts">
  import type { Snippet } from 'svelte';

  interface Props {
    label: string;
    title: string;
    /** Beside the title, softer: what it is and how many. */
    note: string;
    lines: ListedLine[];
    /** Shown where there are no lines. */
    empty: string;
    /** Below the lines, where not all are shown. */
    more?: string;
    search?: Snippet;
    children: Snippet;
  }
  let { label, title, note, lines, empty, more = '', search, children }: Props = $props();
</script>

<div class="beside">
  <section aria-label={label}>
    <header>
      <h1>{title} <span class="soft">{note}</span></h1>
      {@render search?.()}
    </header>
    <ul>
      {#each lines as line (line.id)}
        <li class:here={line.here} class:unread={line.unread}>
          <a href={line.href} data-sveltekit-preload-data="off">
            <strong>{line.title}</strong><time>{line.time}</time><span class="detail">{line.detail}</span>
          </a>
        </li>
      {:else}<li class="none soft">{empty}</li>{/each}
    </ul>
    {#if more}<p class="none soft">{more}</p>{/if}
  </section>
  {@render children()}
</div>

<style>
  .beside {
    display: grid;
    grid-template-columns: 380px 1fr;
    height: calc(100vh - var(--top));
  }
  section {
    display: flex;
    flex-direction: column;
    min-height: 0;
    background: var(--surface);
    border-right: 1px solid var(--rule);
  }
  header {
    display: grid;
    gap: 8px;
    padding: 12px 14px;
    border-bottom: 1px solid var(--rule);
  }
  h1 {
    font-size: 15px;
    font-weight: 700;
  }
  h1 span {
    font-weight: 400;
  }
  ul {
    flex: 1;
    overflow: auto;
    list-style: none;
  }
  a {
    display: grid;
    grid-template-columns: 1fr auto;
    gap: 0 10px;
    padding: 6px 14px;
    color: var(--ink);
    text-decoration: none;
    border-bottom: 1px solid var(--rule-soft);
  }
  a:hover {
    background: var(--hover);
  }
  a:focus-visible {
    outline-offset: -2px;
  }
  .here a {
    background: var(--action-ground);
  }
  strong {
    overflow: hidden;
    font-weight: 450;
    text-overflow: ellipsis;
  }
  time {
    color: var(--ink-soft);
    font-size: 12px;
  }
  .detail {
    grid-column: 1 / -1;
    overflow: hidden;
    color: var(--ink-soft);
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .unread .detail {
    color: var(--ink);
    font-weight: 650;
  }
  .none {
    padding: 12px 14px;
  }
</style>
