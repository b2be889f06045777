<!-- The outline of lanes at the left: each lane's condition in words, and in Watch the people on it. -->
<script lang="ts">
  import type { Journey } from '$core/journey/schema.ts';
  import { ROW_HEIGHT, type LaneRow, type SheetLayout } from '$core/sheet/layout.ts';
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
  }
  let { layout, journey, figures, selection, onselect, onlane }: Props = $props();

  const name = $derived(namingOf(journey));

  function rowWords(row: LaneRow): string {
    return row.when ? ruleWords(row.when, name) : row.openedBy === null ? entryWords(journey.entry) : 'everyone else';
  }
</script>

<div class="lanes">
  {#each layout.rows as row (row.id)}
    <div class="row" class:main={row.depth === 0} style="height: {ROW_HEIGHT}px; padding-left: {14 + row.depth * 18}px">
      {#if row.depth}<i class="hook" aria-hidden="true"></i>{/if}
      {#if row.openedBy === null}
        <button
          tabindex="-1"
          class="label"
          class:selected={selection.at === 'journey'}
          onclick={() => onselect({ at: 'journey' })}
        >
          <strong>{row.label}</strong><small>{rowWords(row)}</small>
        </button>
      {:else}
        <button
          tabindex="-1"
          class="label"
          onclick={() =>
            figures && onlane ? onlane(row) : row.openedBy && onselect({ at: 'card', key: row.openedBy })}
        >
          {row.label}{#if rowWords(row) !== row.label && row.when}<small>{rowWords(row)}</small>{/if}
        </button>
      {/if}
      {#if figures}<b class="count">{number(laneCount(figures, row))}</b>{/if}
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
