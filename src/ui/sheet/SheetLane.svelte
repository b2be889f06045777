<!-- One lane of the sheet: its condition in words at the left, in Watch the people on it, and what stands on it. -->
<script lang="ts">
  import type { Snippet } from 'svelte';
  import type { LaneRow } from '$core/sheet/layout.ts';

  interface Props {
    row: LaneRow;
    /** What it asks for, or how people get in. */
    words: string;
    /** In Watch: people so far. */
    count: string | null;
    /** Lanes of the step that opens it. */
    siblings: number;
    /** Whether lanes hang on it, and can be seen; `undefined`: none do. */
    expanded: boolean | undefined;
    selected: boolean;
    onpress: () => void;
    children: Snippet;
  }
  let { row, words, count, siblings, expanded, selected, onpress, children }: Props = $props();

  const main = $derived(row.openedBy === null);
  const more = $derived(main || (row.when !== null && words !== row.label) ? words : '');
</script>

<div
  class="row"
  role="row"
  aria-level={row.depth + 1}
  aria-posinset={row.place + 1}
  aria-setsize={siblings}
  aria-expanded={expanded}
>
  <div
    class="lane"
    style="padding-left: {14 + row.depth * 18}px"
    role="rowheader"
    id={main ? 'at-journey' : undefined}
    aria-selected={main ? selected : undefined}
  >
    {#if row.depth}<i class="hook" aria-hidden="true"></i>{/if}
    <button
      tabindex="-1"
      class="label"
      class:selected
      title={more ? `${row.label}: ${more}` : row.label}
      onclick={onpress}
    >
      {#if main}<strong>{row.label}</strong>{:else}<span>{row.label}</span>{/if}{#if more}<small>{more}</small>{/if}
    </button>
    {#if count !== null}<b class="count">{count}</b>{/if}
  </div>
  {@render children()}
</div>

<style>
  /* What stands on the lane is placed by the sheet. */
  .row {
    display: contents;
  }
  .lane {
    position: sticky;
    left: 0;
    z-index: 2;
    display: flex;
    grid-column: 1;
    gap: 6px;
    align-items: center;
    box-sizing: border-box;
    padding-right: 10px;
    background: var(--surface-2);
    border-right: 1px solid var(--rule-strong);
    border-bottom: 1px solid var(--rule-soft);
  }
  .hook {
    flex: none;
    width: 8px;
    height: 10px;
    margin-top: -8px;
    border: solid var(--rule-dark);
    border-width: 0 0 1px 1px;
  }
  .label {
    flex: 1;
    min-width: 0;
    padding: 3px 4px;
    overflow: hidden;
    color: var(--ink);
    font: inherit;
    font-size: 13.5px;
    line-height: 1.25;
    text-align: left;
    background: none;
    border: 0;
    cursor: pointer;
  }
  /* Long names take two lines; what does not fit there is in the title. */
  .label span {
    display: -webkit-box;
    overflow: hidden;
    line-clamp: 2;
    -webkit-box-orient: vertical;
    -webkit-line-clamp: 2;
  }
  .label small {
    display: block;
    overflow: hidden;
    color: var(--ink-soft);
    font-size: 11.5px;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .label.selected {
    box-shadow: 0 0 0 2px var(--action);
  }
</style>
