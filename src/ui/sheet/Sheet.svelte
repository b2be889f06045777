<script lang="ts">
  import { tick } from 'svelte';
  import { dropOf } from '$core/edit/drag.ts';
  import { readGapText } from '$core/edit/gap-text.ts';
  import type { Journey } from '$core/journey/schema.ts';
  import { heldUp } from '$core/sheet/held-up.ts';
  import { layoutSheet, ROW_HEIGHT, type Card, type Gap, type LaneRow, type Moment } from '$core/sheet/layout.ts';
  import { durationText } from '$core/time/duration.ts';
  import { isOff, kindOf, type StepName } from '$core/steps/index.ts';
  import { untilWords, type WaitStep } from '$core/steps/wait.ts';
  import { entryWords } from '$core/tell/condition.ts';
  import { durationShort, number } from '$core/tell/words.ts';
  import type { Finding } from '$core/check/index.ts';
  import type { SheetFigures } from '$server/results/sheet-figures.ts';
  import { typingIn } from '$ui/kit/keys.ts';
  import type { Editor, Selection } from './editor.svelte.ts';
  import { SHOWN } from './kinds.ts';
  import GapCell from './GapCell.svelte';
  import InsertBox from './InsertBox.svelte';
  import LaneColumn from './LaneColumn.svelte';
  import SheetLines from './SheetLines.svelte';
  import StepCard from './StepCard.svelte';
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
  let editingGap = $state<{ lane: string; index: number; problem: string } | null>(null);
  let gapText = $state('');
  let inserting = $state<{ gap: Gap; filter: string } | null>(null);

  const layout = $derived(layoutSheet(journey.lane, editor.folded));
  const held = $derived(heldUp(journey));
  const stops = $derived(stopsOf(layout));
  const editable = $derived(figures === null);
  const flagged = $derived(new Set(findings.map((f) => f.step)));
  const selectedGap = $derived(editor.selection.at === 'gap' ? gapOf(editor.selection) : null);
  const PAD_BOTTOM = ROW_HEIGHT;

  /** How much later than a moment people can come to it, because of sending hours: "13 h". */
  function lateOf({ min, max }: Moment): string {
    const here = layout.cards.filter(({ elapsed }) => elapsed.min === min && elapsed.max === max);
    const late = Math.max(0, ...here.map((card) => held.get(card.step.key) ?? 0));
    return durationShort(durationText(late) ?? '');
  }

  const waitShort = (w: WaitStep): string => (w.until ? untilWords(w.until) : durationShort(w.for ?? ''));

  function gapOf(selection: Extract<Selection, { at: 'gap' }>): Gap | null {
    return (
      layout.gaps.find((g) => g.index === selection.index && g.lane.join('.') === selection.lane.join('.')) ?? null
    );
  }

  function isSelected(selection: Selection): boolean {
    return same(editor.selection, selection);
  }

  function gapWords(gap: Gap): string {
    if (figures) {
      const standing = gap.waits.reduce((n, w) => n + (figures.steps[w.key]?.standing ?? 0), 0);
      if (standing) return `${number(standing)} wait`;
    }
    return gap.waits.map((w) => waitShort(w)).join(' + ');
  }

  /** What a screen reader hears of the place. */
  const spoken = $derived.by(() => {
    const s = editor.selection;
    if (s.at === 'journey') return `The journey: ${entryWords(journey.entry)}`;
    if (s.at === 'gap') {
      const gap = gapOf(s);
      const row = gap ? layout.rows[gap.row] : undefined;
      return `Gap on ${row?.label ?? ''}${gap?.waits.length ? `, wait ${gap.waits.map((w) => waitShort(w)).join(' and ')}` : ', no wait'}`;
    }
    const card = layout.cards.find((c) => c.step.key === s.key);
    const shown = card && kindOf(card.step).card(card.step);
    return shown
      ? `${SHOWN[card.step.kind].called}: ${shown.title}, ${isOff(card.step) ? 'off, ' : ''}${shown.line}`
      : '';
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
    editingGap = { lane: gap.lane.join('.'), index: gap.index, problem: '' };
    gapText = text;
    await tick();
    const input = sheet.querySelector<HTMLInputElement>('.gap-input');
    input?.focus();
    if (!text || gap.waits.length) input?.setSelectionRange(text.length, text.length);
  }

  function commitGap(gap: Gap): void {
    if (!editingGap) return;
    const read = readGapText(gapText, gap.before);
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

  /** Clicking elsewhere takes what was typed, as Enter does; what cannot be read stays to be mended. */
  function leaveGapByMouse(gap: Gap): void {
    if (!editingGap) return;
    const read = readGapText(gapText, gap.before);
    if ('problem' in read) {
      editingGap = { ...editingGap, problem: read.problem };
      return;
    }
    editor.apply({ edit: 'wait', lane: gap.lane, index: gap.index, for: read.for });
    editingGap = null;
  }

  function dropWords(card: Card, dx: number): string | null {
    const to = dropOf(layout, card, dx);
    return to && `${to.moment}: ${to.for ? `wait ${durationShort(to.for)}` : 'no wait'}`;
  }

  function drop(card: Card, dx: number): void {
    const to = dropOf(layout, card, dx);
    if (!to) return;
    editor.apply({ edit: 'wait', lane: to.gap.lane, index: to.gap.index, for: to.for });
    void select({ at: 'card', key: card.step.key });
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
    } else if (key === 'o' && card && editable) {
      handled();
      editor.toggleOff(card);
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
        {@const late = lateOf(m)}
        <div class="moment" style="width: {m.width}px">
          <strong>{m.label}</strong>
          {#if late}<span
              class="soft"
              title="Sending hours hold some messages: those who come at the worst time are here {late} later"
              >to +{late}</span
            >{/if}
        </div>
      {/each}
    </div>
    <div class="body">
      <LaneColumn {layout} {journey} {figures} selection={editor.selection} onselect={(s) => void select(s)} {onlane} />
      <div class="field" style="width: {layout.width}px">
        <SheetLines {layout} {figures} />
        <span class="finish" style="left: {layout.end.x + 7}px; top: {layout.end.y - 10}px">
          finish{#if figures}<b>{number(figures.finished)}</b>{/if}
        </span>

        {#each layout.gaps as gap (`${gap.lane.join('.')}/${gap.index}`)}
          {@const editing = editingGap?.index === gap.index && editingGap.lane === gap.lane.join('.')}
          <GapCell
            {gap}
            words={gapWords(gap)}
            quiet={!editable}
            selected={isSelected({ at: 'gap', lane: gap.lane, index: gap.index })}
            problem={editing ? (editingGap?.problem ?? '') : null}
            bind:text={gapText}
            onselect={() => void select({ at: 'gap', lane: gap.lane, index: gap.index })}
            onedit={() =>
              void editGap(
                gap,
                gap.waits
                  .map((w) => waitShort(w))
                  .join('')
                  .replace(/ /g, '')
              )}
            oninsert={() => openInsert(gap, '')}
            oncommit={() => commitGap(gap)}
            onleave={leaveGap}
            onblur={() => leaveGapByMouse(gap)}
          />
        {/each}

        {#each layout.cards as card (card.step.key)}
          <StepCard
            {card}
            {figures}
            selected={isSelected({ at: 'card', key: card.step.key })}
            flagged={editable && flagged.has(card.step.key)}
            onselect={() => void select({ at: 'card', key: card.step.key })}
            onopen={() => editor.focusPanel++}
            dropWords={editable ? (dx) => dropWords(card, dx) : null}
            ondrop={(dx) => drop(card, dx)}
            onfold={() => editor.toggleFold(card.step.key)}
          />
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
          <p class="empty">
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
  .sheet:focus-visible :global(.selected) {
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
    border-right: 1px solid var(--rule-strong);
    box-sizing: border-box;
  }
  .moment {
    flex: none;
    box-sizing: border-box;
    padding: 9px 8px 0;
    font-size: 13.5px;
    border-right: 1px solid var(--rule);
  }
  .moment .soft {
    margin-left: 6px;
    font-size: 12px;
  }
  .body {
    display: flex;
    flex: 1;
    min-height: var(--rows);
  }
  .field {
    position: relative;
    flex: none;
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
  .empty {
    position: absolute;
    top: 60px;
    left: 120px;
    /* The field of an empty journey is as narrow as its one gap. */
    width: 420px;
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
