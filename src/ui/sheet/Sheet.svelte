<script lang="ts">
  import ChevronDown from 'carbon-icons-svelte/lib/ChevronDown.svelte';
  import ChevronRight from 'carbon-icons-svelte/lib/ChevronRight.svelte';
  import { tick } from 'svelte';
  import { readGapText } from '$core/edit/gap-text.ts';
  import type { Journey } from '$core/journey/schema.ts';
  import { CARD_HEIGHT, CARD_WIDTH, layoutSheet, ROW_HEIGHT, type Gap, type LaneRow } from '$core/sheet/layout.ts';
  import { kindOf, type StepName } from '$core/steps/index.ts';
  import { conditionWords, entryWords } from '$core/tell/condition.ts';
  import { namingOf } from '$core/tell/read-through.ts';
  import { durationShort } from '$core/tell/words.ts';
  import type { Finding } from '$core/check/index.ts';
  import type { SheetFigures } from '$server/results/sheet-figures.ts';
  import { number } from '$ui/format.ts';
  import { typingIn } from '$ui/kit/keys.ts';
  import type { Editor, Selection } from './editor.svelte.ts';
  import { cardFigure, laneCount, lineWeight } from './figures.ts';
  import { STEP_ICONS, STEP_WORDS } from './icons.ts';
  import InsertBox from './InsertBox.svelte';
  import { nextStop, same, stopsOf } from './stops.ts';

  interface Props {
    editor: Editor;
    document: Journey;
    /** Watch shows figures and takes no edits. */
    figures: SheetFigures | null;
    findings: Finding[];
    onhelp: () => void;
    onlane?: (row: LaneRow) => void;
  }
  let { editor, document: journey, figures, findings, onhelp, onlane }: Props = $props();

  let sheet: HTMLDivElement;
  let editingGap = $state<{ lane: string; index: number; text: string; problem: string } | null>(null);
  let inserting = $state<{ gap: Gap; filter: string } | null>(null);

  const layout = $derived(layoutSheet(journey.lane, editor.folded));
  const stops = $derived(stopsOf(layout));
  const name = $derived(namingOf(journey));
  const editable = $derived(figures === null);
  const flagged = $derived(new Set(findings.map((f) => f.step)));
  const selectedGap = $derived(editor.selection.at === 'gap' ? gapOf(editor.selection) : null);
  const PAD_BOTTOM = ROW_HEIGHT;

  function gapOf(selection: Extract<Selection, { at: 'gap' }>): Gap | null {
    return (
      layout.gaps.find((g) => g.index === selection.index && g.lane.join('.') === selection.lane.join('.')) ?? null
    );
  }

  function isSelected(selection: Selection): boolean {
    return same(editor.selection, selection);
  }

  function rowWords(row: LaneRow): string {
    return row.when
      ? conditionWords(row.when, name)
      : row.openedBy === null
        ? entryWords(journey.entry?.on)
        : 'everyone else';
  }

  function gapWords(gap: Gap): string {
    if (figures) {
      const standing = gap.waits.reduce((n, w) => n + (figures.steps[w.key]?.standing ?? 0), 0);
      if (standing) return `${number(standing)} wait`;
    }
    return gap.waits.map((w) => durationShort(w.for)).join(' + ');
  }

  /** What a screen reader hears of the place. */
  const spoken = $derived.by(() => {
    const s = editor.selection;
    if (s.at === 'journey') return `The journey: ${entryWords(journey.entry?.on)}`;
    if (s.at === 'gap') {
      const gap = gapOf(s);
      const row = gap ? layout.rows[gap.row] : undefined;
      return `Gap on ${row?.label ?? ''}${gap?.waits.length ? `, wait ${gap.waits.map((w) => durationShort(w.for)).join(' and ')}` : ', no wait'}`;
    }
    const card = layout.cards.find((c) => c.step.key === s.key);
    const shown = card && kindOf(card.step).card(card.step);
    return shown ? `${STEP_WORDS[card.step.kind]}: ${shown.title}, ${shown.line}` : '';
  });

  async function select(selection: Selection): Promise<void> {
    editor.selection = selection;
    await tick();
    sheet.querySelector('.selected')?.scrollIntoView({ block: 'nearest', inline: 'nearest' });
  }

  function openInsert(gap: Gap | null, filter: string): void {
    if (gap && editable) inserting = { gap, filter };
  }

  function choose(kind: StepName): void {
    const gap = inserting?.gap;
    inserting = null;
    if (!gap) return;
    if (kind === 'wait') void editGap(gap, '');
    else editor.insert(kind, gap.lane, gap.index);
  }

  async function editGap(gap: Gap, text: string): Promise<void> {
    if (!editable) return;
    editor.selection = { at: 'gap', lane: gap.lane, index: gap.index };
    editingGap = { lane: gap.lane.join('.'), index: gap.index, text, problem: '' };
    await tick();
    const input = sheet.querySelector<HTMLInputElement>('.gap-input');
    input?.focus();
    if (!text || gap.waits.length) input?.setSelectionRange(text.length, text.length);
  }

  function commitGap(gap: Gap): void {
    if (!editingGap) return;
    const read = readGapText(editingGap.text, gap.before);
    if ('problem' in read) {
      editingGap = { ...editingGap, problem: read.problem };
      return;
    }
    const waits = gap.waits.length;
    editor.apply({ edit: 'wait', lane: gap.lane, index: gap.index, for: read.for });
    editor.selection = { at: 'gap', lane: gap.lane, index: gap.index - waits + (read.for ? 1 : 0) };
    editingGap = null;
    sheet.focus();
  }

  function leaveGap(): void {
    editingGap = null;
    sheet.focus();
  }

  function onkeydown(event: KeyboardEvent): void {
    if (typingIn(event) || inserting) return;
    const { key } = event;
    const selection = editor.selection;
    const card = selection.at === 'card' ? selection.key : null;
    const command = event.ctrlKey || event.metaKey;
    const handled = (): void => event.preventDefault();
    if (command && card && editable) {
      const done = { c: () => editor.copy(card), x: () => editor.cut(card), d: () => editor.duplicate(card) }[
        key.toLowerCase()
      ];
      if (done) {
        handled();
        return done();
      }
    }
    if (command && key.toLowerCase() === 'v' && editable) {
      handled();
      return editor.paste();
    }
    if (command) return;
    if (event.altKey && card && editable && (key === 'ArrowLeft' || key === 'ArrowRight')) {
      handled();
      return editor.apply({ edit: 'move', key: card, by: key === 'ArrowRight' ? 1 : -1 });
    }
    if (event.altKey) return;
    if (
      key === 'ArrowLeft' ||
      key === 'ArrowRight' ||
      key === 'ArrowUp' ||
      key === 'ArrowDown' ||
      key === 'Home' ||
      key === 'End'
    ) {
      handled();
      const to = nextStop(stops, selection, key);
      if (to) void select(to);
    } else if (key === '?') {
      handled();
      onhelp();
    } else if (key === '[' || key === ']') {
      const opener = card ?? layout.rows[selectedGap?.row ?? 0]?.openedBy;
      if (opener && editor.folded.has(opener) === (key === ']')) {
        handled();
        editor.toggleFold(opener);
        editor.selection = { at: 'card', key: opener };
      }
    } else if (key === 'Enter') {
      handled();
      if (selectedGap) openInsert(selectedGap, '');
      else editor.focusPanel++;
    } else if ((key === 'Delete' || key === 'Backspace') && editable) {
      handled();
      if (card) editor.remove(card);
      else if (selectedGap?.waits.length) {
        editor.apply({ edit: 'wait', lane: selectedGap.lane, index: selectedGap.index, for: null });
        editor.selection = { at: 'gap', lane: selectedGap.lane, index: selectedGap.index - selectedGap.waits.length };
      }
    } else if (key.length === 1 && selectedGap && editable) {
      if (/[0-9=]/.test(key)) {
        handled();
        void editGap(selectedGap, key);
      } else if (/[a-z]/i.test(key)) {
        handled();
        openInsert(selectedGap, key);
      }
    }
  }

  $effect(() => {
    if (editor.focusSheet) sheet.focus();
  });
</script>

<!-- svelte-ignore a11y_no_noninteractive_tabindex, a11y_no_noninteractive_element_interactions (an application role handles its own keys) -->
<div
  bind:this={sheet}
  class="sheet"
  class:watching={!editable}
  role="application"
  aria-roledescription="route sheet"
  aria-label="Route sheet of {journey.name ?? journey.key}. Arrow keys move, question mark lists the keys."
  tabindex="0"
  {onkeydown}
>
  <div class="inner" style="width: {208 + layout.width}px; --rows: {layout.height + PAD_BOTTOM}px">
    <div class="head">
      <div class="corner">
        <span>Lanes</span>{#if figures}<span class="soft">people so far</span>{/if}
      </div>
      {#each layout.moments as m (`${m.min}/${m.max}`)}
        <div class="moment" style="width: {m.width}px"><strong>{m.label}</strong></div>
      {/each}
    </div>
    <div class="body">
      <div class="lanes">
        {#each layout.rows as row (row.id)}
          <div
            class="row"
            class:main={row.depth === 0}
            style="height: {ROW_HEIGHT}px; padding-left: {14 + row.depth * 18}px"
          >
            {#if row.depth}<i class="hook" aria-hidden="true"></i>{/if}
            {#if row.openedBy === null}
              <button
                tabindex="-1"
                class="label"
                class:selected={editor.selection.at === 'journey'}
                onclick={() => void select({ at: 'journey' })}
              >
                <strong>{row.label}</strong><small>{rowWords(row)}</small>
              </button>
            {:else}
              <button
                tabindex="-1"
                class="label"
                onclick={() =>
                  figures && onlane ? onlane(row) : row.openedBy && void select({ at: 'card', key: row.openedBy })}
              >
                {row.label}{#if rowWords(row) !== row.label && row.when}<small>{rowWords(row)}</small>{/if}
              </button>
            {/if}
            {#if figures}<b class="count">{number(laneCount(figures, row))}</b>{/if}
          </div>
        {/each}
      </div>
      <div class="field" style="width: {layout.width}px">
        <svg width={layout.width} height="100%" aria-hidden="true">
          {#each layout.moments as m (`${m.min}/${m.max}`)}<line
              class="grid"
              x1={m.x + m.width}
              x2={m.x + m.width}
              y1="0"
              y2="100%"
            />{/each}
          {#each layout.rows as row (row.id)}<line
              class="grid"
              x1="0"
              x2={layout.width}
              y1={row.y + ROW_HEIGHT / 2}
              y2={row.y + ROW_HEIGHT / 2}
            />{/each}
          {#each layout.joins as j (j.key)}<line class="aside" x1={j.fromX} x2={j.x} y1={j.y} y2={j.y} />{/each}
          {#each layout.brackets as b (b.key)}<line class="bracket" x1={b.x} x2={b.x} y1={b.y1} y2={b.y2} />{/each}
          {#each layout.gaps as gap (`${gap.lane.join('.')}/${gap.index}`)}
            <line
              class="walk"
              x1={gap.x1}
              x2={gap.x2}
              y1={gap.y}
              y2={gap.y}
              style="stroke-width: {lineWeight(figures, layout, gap)}px"
            />
          {/each}
          {#each layout.joins as j (j.key)}<path
              class="join"
              d="M {j.x} {j.y2} V {j.y + 5} Q {j.x} {j.y} {j.x + 5} {j.y}"
            />{/each}
          <line class="end" x1={layout.end.x} x2={layout.end.x} y1={layout.end.y - 12} y2={layout.end.y + 12} />
        </svg>
        <span class="finish" style="left: {layout.end.x + 7}px; top: {layout.end.y - 10}px">
          finish{#if figures}<b>{number(figures.finished)}</b>{/if}
        </span>

        {#each layout.gaps as gap (`${gap.lane.join('.')}/${gap.index}`)}
          {@const editing = editingGap?.index === gap.index && editingGap.lane === gap.lane.join('.')}
          {@const selected = isSelected({ at: 'gap', lane: gap.lane, index: gap.index })}
          <div class="gap" style="left: {gap.x1}px; top: {gap.y - 16}px; width: {gap.x2 - gap.x1}px">
            {#if editing && editingGap}
              <input
                class="gap-input"
                aria-label="Wait: a length such as 2d, or the day to reach such as =day 5"
                aria-invalid={editingGap.problem !== ''}
                bind:value={editingGap.text}
                onkeydown={(e) => {
                  e.stopPropagation();
                  if (e.key === 'Enter') commitGap(gap);
                  else if (e.key === 'Escape') leaveGap();
                }}
                onblur={() => (editingGap = null)}
              />
              {#if editingGap.problem}<span class="gap-problem" role="alert">{editingGap.problem}</span>{/if}
            {:else}
              <button
                tabindex="-1"
                class="caret"
                class:selected
                class:wide={gap.waits.length > 0}
                aria-label={gap.waits.length ? `Wait ${gapWords(gap)}` : 'Gap'}
                onclick={() =>
                  gap.waits.length && selected
                    ? void editGap(
                        gap,
                        gap.waits
                          .map((w) => durationShort(w.for))
                          .join(' ')
                          .replace(/ /g, '')
                      )
                    : void select({ at: 'gap', lane: gap.lane, index: gap.index })}
                ondblclick={() => openInsert(gap, '')}
              >
                {#if gap.waits.length}{gapWords(gap)}{:else}<i aria-hidden="true"></i>{/if}
              </button>
            {/if}
          </div>
        {/each}

        {#each layout.cards as card (card.step.key)}
          {@const shown = kindOf(card.step).card(card.step)}
          {@const Icon = STEP_ICONS[card.step.kind]}
          <button
            tabindex="-1"
            class="card"
            class:selected={isSelected({ at: 'card', key: card.step.key })}
            class:flagged={editable && flagged.has(card.step.key)}
            data-key={card.step.key}
            style="left: {card.x}px; top: {card.y - CARD_HEIGHT / 2}px; width: {CARD_WIDTH}px; height: {CARD_HEIGHT}px"
            onclick={() => void select({ at: 'card', key: card.step.key })}
            ondblclick={() => editor.focusPanel++}
            title="{STEP_WORDS[card.step.kind]}: {shown.title}"
          >
            <Icon size={16} aria-hidden="true" />
            <span class="title">{shown.title}</span>
            <span class="line"
              >{#if figures}{cardFigure(figures, card.step)}{:else}{shown.line}{/if}</span
            >
          </button>
          {#if kindOf(card.step).lanes(card.step).length}
            <button
              tabindex="-1"
              class="fold"
              style="left: {card.x + 5}px; top: {card.y + CARD_HEIGHT / 2 - 1}px"
              aria-label={card.folded ? 'Show its lanes' : 'Fold its lanes'}
              onclick={() => editor.toggleFold(card.step.key)}
            >
              {#if card.folded}<ChevronRight size={16} />{:else}<ChevronDown size={16} />{/if}
            </button>
          {/if}
        {/each}

        {#if inserting}
          {@const gap = inserting.gap}
          <InsertBox
            x={Math.max(4, Math.min(gap.x1, layout.width - 330))}
            y={gap.y + 18}
            filter={inserting.filter}
            onchoose={choose}
            onleave={() => {
              inserting = null;
              sheet.focus();
            }}
          />
        {/if}
        {#if !journey.lane.length && editable && !inserting}
          <p class="empty" style="left: 120px; top: 60px">
            Nothing here yet. Select the gap and type <kbd>e</kbd> for an email, <kbd>t</kbd> for a text, <kbd>2d</kbd>
            to wait two days; <kbd>?</kbd> lists all keys.
          </p>
        {/if}
      </div>
    </div>
  </div>
  <p class="visually-hidden" aria-live="polite">{spoken}</p>
</div>

<style>
  .sheet {
    position: relative;
    flex: 1;
    min-width: 0;
    min-height: 0;
    overflow: auto;
    background: var(--ground);
    outline: none;
  }
  /* What is selected shows where the keys go; the sheet as a whole needs no ring. */
  .sheet:focus-visible .selected {
    box-shadow: 0 0 0 2px var(--action);
  }
  .inner {
    display: flex;
    flex-direction: column;
    min-width: 100%;
    min-height: 100%;
  }
  .head {
    position: sticky;
    top: 0;
    z-index: 3;
    display: flex;
    height: 38px;
    background: var(--surface);
    border-bottom: 1px solid var(--ink);
  }
  .corner {
    position: sticky;
    left: 0;
    z-index: 4;
    display: flex;
    flex: none;
    justify-content: space-between;
    align-items: center;
    width: 208px;
    padding: 0 10px 0 14px;
    color: var(--ink-soft);
    font-size: 12.5px;
    background: var(--surface);
    border-right: 1px solid #b5b09f;
    box-sizing: border-box;
  }
  .moment {
    flex: none;
    box-sizing: border-box;
    padding: 9px 8px 0;
    font-size: 13.5px;
    border-right: 1px solid var(--rule);
  }
  .body {
    display: flex;
    flex: 1;
    min-height: var(--rows);
  }
  .lanes {
    position: sticky;
    left: 0;
    z-index: 2;
    flex: none;
    box-sizing: border-box;
    width: 208px;
    background: var(--surface-2);
    border-right: 1px solid #b5b09f;
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
    border: solid #a9a595;
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
  .field {
    position: relative;
    flex: none;
  }
  svg {
    position: absolute;
    inset: 0;
  }
  .grid {
    stroke: #e3dfd2;
  }
  .walk {
    stroke: var(--ink);
  }
  .bracket {
    stroke: var(--ink-soft);
    stroke-width: 1.5;
  }
  .aside {
    stroke: #b5b09f;
    stroke-width: 1.5;
    stroke-dasharray: 1 5;
  }
  .join {
    fill: none;
    stroke: var(--ink);
    stroke-width: 1.5;
  }
  .end {
    stroke: var(--ink);
    stroke-width: 3;
  }
  .finish {
    position: absolute;
    display: flex;
    gap: 6px;
    color: var(--ink-soft);
    font-size: 12.5px;
  }
  .finish b {
    color: var(--ink);
  }
  .card {
    position: absolute;
    display: grid;
    grid-template-columns: 16px 1fr;
    column-gap: 8px;
    align-content: center;
    align-items: center;
    padding: 0 6px 0 8px;
    overflow: hidden;
    color: var(--ink);
    font: inherit;
    line-height: 1.25;
    text-align: left;
    background: var(--surface);
    border: 1px solid #8c9291;
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
    background: #f0f7f8;
    border-color: var(--action);
    box-shadow: 0 0 0 1px var(--action);
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
  .gap {
    position: absolute;
    display: grid;
    place-items: center;
    height: 32px;
  }
  .caret {
    min-width: 14px;
    max-width: 100%;
    height: 20px;
    padding: 0 5px;
    overflow: hidden;
    color: var(--ink);
    font: inherit;
    font-size: 12.5px;
    line-height: 18px;
    white-space: nowrap;
    background: none;
    border: 1px solid transparent;
    cursor: pointer;
  }
  .caret.wide {
    background: var(--ground);
  }
  .caret i {
    display: none;
    width: 2px;
    height: 18px;
    background: var(--action);
  }
  .gap:hover .caret i,
  .caret.selected i {
    display: block;
  }
  .gap:hover .caret:not(.wide) {
    background: var(--ground);
  }
  .caret.selected {
    background: var(--ground);
  }
  .caret.wide.selected {
    color: #ffffff;
    background: var(--action);
    border-color: var(--action);
  }
  .watching .caret:not(.wide) {
    visibility: hidden;
  }
  .gap-input {
    position: absolute;
    left: 50%;
    z-index: 2;
    width: 74px;
    height: 24px;
    margin-left: -37px;
    padding: 0 6px;
    color: var(--ink);
    font-size: 13px;
    text-align: center;
    background: var(--surface);
    border: 2px solid var(--action);
    box-sizing: border-box;
  }
  .gap-problem {
    position: absolute;
    top: 32px;
    left: 50%;
    z-index: 3;
    width: max-content;
    max-width: 280px;
    padding: 4px 8px;
    color: var(--failure);
    font-size: 12.5px;
    background: var(--failure-ground);
    border: 1px solid var(--failure);
    transform: translateX(-50%);
  }
  .empty {
    position: absolute;
    max-width: 420px;
    color: var(--ink-soft);
  }
  kbd {
    padding: 0 4px;
    font: inherit;
    font-size: 12.5px;
    background: var(--surface);
    border: 1px solid var(--rule);
  }
</style>
