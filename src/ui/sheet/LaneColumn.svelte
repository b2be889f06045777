<!-- The outline of lanes at the left: each lane's condition in words, and in Watch the people on it. -->
<script lang="ts">
  import type { Journey } from '$core/journey/schema.ts';
  import { ROW_HEIGHT, type LaneRow, type SheetLayout } from '$core/sheet/layout.ts';
  import { lanesOf } from '$core/steps/index.ts';
  import { entryWords, ruleWords } from '$core/tell/condition.ts';
  import { namingOf } from '$core/tell/read-through.ts';
  import type { SheetFigures } from '$server/results/sheet-figures.ts';
  import { number } from '$core/tell/words.ts';
  import type { Selection } from './editor.svelte.ts';
  import { laneCount } from './figures.ts';

  interface Props {
    layout: SheetLayout;
    journey: Journey;
    figures: SheetFigures | null;
    selection: Selection;
    onselect: (selection: Selection) => void;
    onlane: ((row: LaneRow) => void) | undefined;
    /** Ids of what is drawn of each row, in its order. */
    cells: string[][];
  }
  let { layout, journey, figures, selection, onselect, onlane, cells }: Props = $props();

  const name = $derived(namingOf(journey));

  function rowWords(row: LaneRow): string {
    return row.when ? ruleWords(row.when, name) : row.openedBy === null ? entryWords(journey.entry) : 'everyone else';
  }
  /** Whether the lanes of a row can be seen: all of them folded, it is closed; without any, neither. */
  const expanded = $derived(
    layout.rows.map((_, i) => {
      const openers = layout.cards.filter((c) => c.row === i && lanesOf(c.step).length > 0);
      return openers.length ? openers.some((c) => !c.folded) : undefined;
    })
  );
  const siblings = (row: LaneRow): number => layout.rows.filter((r) => r.openedBy === row.openedBy).length;
</script>

<div class="lanes" role="rowgroup">
  {#each layout.rows as row, i (row.id)}
    {@const words = rowWords(row)}
    <div
      class="row"
      class:main={row.depth === 0}
      style="height: {ROW_HEIGHT}px; padding-left: {14 + row.depth * 18}px"
      role="row"
      aria-level={row.depth + 1}
      aria-posinset={row.place + 1}
      aria-setsize={siblings(row)}
      aria-expanded={expanded[i]}
      aria-owns={cells[i]?.join(' ')}
    >
      {#if row.depth}<i class="hook" aria-hidden="true"></i>{/if}
      <div
        class="header"
        role="rowheader"
        id={row.openedBy === null ? 'at-journey' : undefined}
        aria-selected={row.openedBy === null ? selection.at === 'journey' : undefined}
      >
        {#if row.openedBy === null}
          <button
            tabindex="-1"
            class="label"
            title="{row.label}: {words}"
            class:selected={selection.at === 'journey'}
            onclick={() => onselect({ at: 'journey' })}
          >
            <strong>{row.label}</strong><small>{words}</small>
          </button>
        {:else}
          <button
            tabindex="-1"
            class="label"
            title={words === row.label ? row.label : `${row.label}: ${words}`}
            onclick={() =>
              figures && onlane ? onlane(row) : row.openedBy && onselect({ at: 'card', key: row.openedBy })}
          >
            <span>{row.label}</span>{#if words !== row.label && row.when}<small>{words}</small>{/if}
          </button>
        {/if}
      </div>
      {#if figures}<b class="count" role="gridcell">{number(laneCount(figures, row))}</b>{/if}
    </div>
  {/each}
</div>

<style>
  .lanes {
    position: sticky;
    left: 0;
    z-index: 2;
    flex: none;
    box-sizing: border-box;
    width: 208px;
    background: var(--surface-2);
    border-right: 1px solid var(--rule-strong);
  }
  .row {
    position: relative;
    display: flex;
    gap: 6px;
    align-items: center;
    box-sizing: border-box;
    padding-right: 10px;
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
  .header {
    flex: 1;
    min-width: 0;
  }
  .label {
    width: 100%;
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
