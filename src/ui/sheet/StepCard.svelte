<!-- One step as a card on its lane: icon, name, and the one line that matters or the figure of the view. -->
<script lang="ts">
  import ChevronDown from 'carbon-icons-svelte/lib/ChevronDown.svelte';
  import ChevronRight from 'carbon-icons-svelte/lib/ChevronRight.svelte';
  import { CARD_HEIGHT, CARD_WIDTH, type Card } from '$core/sheet/layout.ts';
  import { isOff, kindOf, lanesOf } from '$core/steps/index.ts';
  import type { SheetFigures } from '$server/results/sheet-figures.ts';
  import { cardFigure } from './figures.ts';
  import { SHOWN } from './kinds.ts';

  interface Props {
    card: Card;
    id: string;
    figures: SheetFigures | null;
    selected: boolean;
    flagged: boolean;
    /** In a sketch the line is its aim. */
    sketch?: boolean;
    /** Less than this many px of a card can be read: icon and figure only. */
    small?: boolean;
    /** Who else has it selected. */
    others?: string[];
    /** `extend`: from what is selected up to here. */
    onselect: (extend: boolean) => void;
    onopen: () => void;
    onfold: () => void;
    /** What letting it go so many px from its place would do, in words; `null`: it cannot be dragged. */
    dropWords: ((dx: number, dy: number) => string | null) | null;
    ondrop: (dx: number, dy: number) => void;
  }
  let {
    card,
    id,
    figures,
    selected,
    flagged,
    sketch = false,
    small = false,
    others = [],
    onselect,
    onopen,
    onfold,
    dropWords,
    ondrop
  }: Props = $props();

  /** Less than this is a click with an unsteady hand. */
  const DRAG_FROM_PX = 6;
  let pressedAt: { x: number; y: number } | null = null;
  let dragged = $state<{ dx: number; dy: number } | null>(null);

  function onpointerdown(event: PointerEvent & { currentTarget: HTMLElement }): void {
    if (event.button !== 0 || !dropWords) return;
    pressedAt = { x: event.clientX, y: event.clientY };
    event.currentTarget.setPointerCapture(event.pointerId);
  }

  function onpointermove(event: PointerEvent): void {
    if (pressedAt === null) return;
    const [dx, dy] = [event.clientX - pressedAt.x, event.clientY - pressedAt.y];
    if (dragged !== null || Math.hypot(dx, dy) >= DRAG_FROM_PX) dragged = { dx, dy };
  }

  function letGo(drops: boolean): void {
    const to = dragged;
    pressedAt = null;
    dragged = null;
    if (to && drops) ondrop(to.dx, to.dy);
  }

  const shown = $derived(kindOf(card.step).card(card.step));
  const Icon = $derived(SHOWN[card.step.kind].icon);
</script>

<div
  class="cell"
  role="gridcell"
  {id}
  aria-selected={selected}
  aria-label="{SHOWN[card.step.kind].called}: {shown.title}, {isOff(card.step)
    ? 'off, '
    : ''}{shown.line}, {card.moment}{flagged ? ', with a finding' : ''}"
>
  <button
    tabindex="-1"
    class="card"
    class:selected
    class:flagged
    class:off={isOff(card.step)}
    class:small
    class:figured={figures !== null}
    data-key={card.step.key}
    style="left: {card.x}px; top: {card.y - CARD_HEIGHT / 2}px; width: {CARD_WIDTH}px; height: {CARD_HEIGHT}px"
    class:dragged={dragged !== null}
    style:transform={dragged === null
      ? null
      : `translate(calc(${dragged.dx}px / var(--zoom, 1)), calc(${dragged.dy}px / var(--zoom, 1)))`}
    onclick={(e) => onselect(e.shiftKey)}
    {onpointerdown}
    {onpointermove}
    onpointerup={() => letGo(true)}
    onpointercancel={() => letGo(false)}
    ondblclick={onopen}
    title="{SHOWN[card.step.kind].called}: {shown.title}{isOff(card.step) ? ' (off: everyone passes it over)' : ''}"
  >
    <Icon size={16} aria-hidden="true" />
    <span class="title">{shown.title}</span>
    <span class="line"
      >{#if isOff(card.step)}off{figures ? '' : `: ${shown.line}`}{:else if figures}{cardFigure(
          figures,
          card.step
        )}{:else if sketch}{card.step.aim ?? 'no aim yet'}{:else}{shown.line}{/if}</span
    >
  </button>
  {#if dragged !== null && dropWords}
    <span class="to" style="left: {card.x + dragged.dx}px; top: {card.y + dragged.dy + CARD_HEIGHT / 2 + 4}px"
      >{dropWords(dragged.dx, dragged.dy)}</span
    >
  {/if}
  {#if others.length}
    <span class="others" style="left: {card.x}px; top: {card.y - CARD_HEIGHT / 2 - 13}px">{others.join(', ')}</span>
  {/if}
  {#if lanesOf(card.step).length}
    <button
      tabindex="-1"
      class="fold"
      style="left: {card.x + 5}px; top: {card.y + CARD_HEIGHT / 2 - 1}px"
      aria-label={card.folded ? 'Show its lanes' : 'Fold its lanes'}
      onclick={onfold}
    >
      {#if card.folded}<ChevronRight size={16} />{:else}<ChevronDown size={16} />{/if}
    </button>
  {/if}
</div>

<style>
  .cell {
    display: contents;
  }
  .small {
    grid-template-columns: 34px 1fr;
  }
  .small :global(svg) {
    width: 30px;
    height: 30px;
  }
  .small .title {
    display: none;
  }
  .small .line {
    font-size: 22px;
  }
  .small:not(.figured) .line {
    display: none;
  }
  .others {
    position: absolute;
    z-index: 2;
    max-width: 150px;
    padding: 0 4px;
    overflow: hidden;
    color: var(--surface);
    font-size: 11px;
    line-height: 13px;
    text-overflow: ellipsis;
    white-space: nowrap;
    background: var(--ink-soft);
    pointer-events: none;
  }
  .card {
    position: absolute;
    display: grid;
    grid-template-columns: 16px 1fr;
    column-gap: 6px;
    align-content: center;
    align-items: center;
    padding: 0 3px 0 7px;
    overflow: hidden;
    color: var(--ink);
    font: inherit;
    line-height: 1.25;
    text-align: left;
    background: var(--surface);
    border: 1px solid var(--rule-field);
    cursor: pointer;
  }
  .card :global(svg) {
    position: static;
    grid-row: 1 / span 2;
    fill: var(--ink-soft);
  }
  .card .title,
  .card .line {
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .card .title {
    font-size: 13px;
    font-weight: 650;
  }
  .card .line {
    color: var(--ink-soft);
    font-size: 11.5px;
  }
  .card:hover {
    border-color: var(--action);
  }
  .card.selected {
    background: var(--action-pale);
    border-color: var(--action);
    box-shadow: 0 0 0 1px var(--action);
  }
  .card.off {
    background: var(--ground);
    border-style: dashed;
  }
  .card.off .title {
    color: var(--ink-soft);
    text-decoration: line-through;
  }
  .card.flagged::after {
    position: absolute;
    top: 0;
    right: 0;
    border: solid transparent;
    border-width: 0 11px 11px 0;
    border-right-color: var(--attention-line);
    content: '';
  }
  .card.dragged {
    z-index: 2;
    cursor: grabbing;
    transition: none;
  }
  .to {
    position: absolute;
    z-index: 2;
    padding: 2px 6px;
    color: var(--surface);
    font-size: 12.5px;
    white-space: nowrap;
    background: var(--action);
  }
  .fold {
    position: absolute;
    z-index: 1;
    display: grid;
    place-items: center;
    width: 18px;
    height: 16px;
    padding: 0;
    color: var(--ink-soft);
    background: var(--ground);
    border: 0;
    cursor: pointer;
  }
  .fold :global(svg) {
    position: static;
    width: 12px;
  }
</style>
