<script lang="ts">
  import { tick, untrack } from 'svelte';
  import { dropOf, nearestGap } from '$core/edit/drag.ts';
  import { gapText as typedGap } from '$core/edit/gap-text.ts';
  import { placeOf } from '$core/edit/edit.ts';
  import type { Journey } from '$core/journey/schema.ts';
  import { anchorOf, isPassed } from '$core/sheet/anchor.ts';
  import { gapWords as shortWords, waitShort } from '$core/sheet/gap-words.ts';
  import { CARD_WIDTH, layoutSheet, ROW_HEIGHT, type Card, type Gap, type LaneRow } from '$core/sheet/layout.ts';
  import { wallDay } from '$core/time/civil.ts';
  import { lanesOf, type StepName } from '$core/steps/index.ts';
  import { entryWords, ruleWords } from '$core/tell/condition.ts';
  import { namingOf } from '$core/tell/read-through.ts';
  import { laneCount } from './figures.ts';
  import { durationShort, number } from '$core/tell/words.ts';
  import type { Finding } from '$core/check/index.ts';
  import type { SheetFigures } from '$server/results/sheet-figures.ts';
  import type { Other } from '$server/journeys/open-drafts.ts';
  import { typingIn } from '$ui/kit/keys.ts';
  import type { Editor, Selection } from './editor.svelte.ts';
  import GapCell from './GapCell.svelte';
  import { GapTyping } from './gap-typing.svelte.ts';
  import InsertBox from './InsertBox.svelte';
  import SheetLane from './SheetLane.svelte';
  import Overview from './Overview.svelte';
  import Ruler from './Ruler.svelte';
  import SheetLines from './SheetLines.svelte';
  import StepCard from './StepCard.svelte';
  import { nextStop, placeId, same, stopsOf } from './stops.ts';
  import { LANES_WIDTH, SheetView } from './view.svelte.ts';

  interface Props {
    editor: Editor;
    document: Journey;
    /** Watch shows figures and takes no edits. */
    figures: SheetFigures | null;
    findings: Finding[];
    onhelp: () => void;
    onlane?: (row: LaneRow) => void;
    /** Fields that can be named in a gap. */
    fields: string[];
    clock: { now: number; zone: string };
    /** Names and aims only. */
    sketch?: boolean;
    /** Goes to the next step that is not finished. */
    onunfinished?: () => void;
    /** Nobody changes it now. */
    locked?: boolean;
    /** Who else has it open, and where. */
    others?: Other[];
  }
  let {
    editor,
    document: journey,
    figures,
    findings,
    onhelp,
    onlane,
    fields,
    clock,
    locked = false,
    others = [],
    sketch = false,
    onunfinished
  }: Props = $props();

  let sheet: HTMLDivElement;
  let inserting = $state<{ gap: Gap; filter: string } | null>(null);

  const anchor = $derived(anchorOf(journey));
  const layout = $derived(layoutSheet(journey.lane, editor.folding.keys, anchor));
  const around = $derived({ fields, today: wallDay(journey.zone ?? clock.zone, clock.now) });
  const typing = new GapTyping(
    () => editor,
    () => around
  );
  const view = new SheetView(
    () => sheet,
    () => layout
  );
  /** What is drawn, by its row. */
  const cards = $derived.by(() => {
    const near = layout.cards.filter((c) => view.near(c.x, c.x + CARD_WIDTH, c.y));
    return layout.rows.map((_, i) => near.filter((c) => c.row === i));
  });
  const gaps = $derived.by(() => {
    const near = layout.gaps.filter((g) => view.near(g.x1, g.x2, g.y));
    return layout.rows.map((_, i) => near.filter((g) => g.row === i));
  });
  const fits = $derived(layout.width <= view.exactly.width && layout.height <= view.exactly.height);
  $effect(() => {
    const observer = new ResizeObserver(() => view.look());
    observer.observe(sheet);
    return () => observer.disconnect();
  });
  const stops = $derived(stopsOf(layout));
  const editable = $derived(figures === null && !locked);
  const chosen = $derived(new Set(editor.chosen?.steps.map((s) => s.key)));
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

  function gapWords(gap: Gap): string {
    if (figures) {
      const standing = gap.waits.reduce((n, w) => n + (figures.steps[w.key]?.standing ?? 0), 0);
      if (standing) return `${number(standing)} wait`;
    }
    return shortWords(gap.waits, anchor) + (passedIn(gap) ? ', passed' : '');
  }

  /** Whether everybody finds that a wait for their date is over when they come to it. */
  const passedIn = (gap: Gap): boolean => anchor !== null && gap.waits.some((w) => isPassed(w, gap.before, anchor));

  const gapSpoken = (gap: Gap): string =>
    `Gap on ${layout.rows[gap.row]?.label ?? ''}, ${gap.waits.length ? `wait ${gap.waits.map((w) => waitShort(w, anchor)).join(' and ')}` : 'no wait'}`;

  const name = $derived(namingOf(journey));
  const laneWords = (row: LaneRow): string =>
    row.when ? ruleWords(row.when, name) : row.openedBy === null ? entryWords(journey.entry) : 'everyone else';
  /** Whether the lanes that hang on a lane can be seen: all of them folded, it is closed; without any, neither. */
  const expanded = $derived(
    layout.rows.map((_, i) => {
      const openers = layout.cards.filter((c) => c.row === i && lanesOf(c.step).length > 0);
      return openers.length ? openers.some((c) => !c.folded) : undefined;
    })
  );
  function pressLane(row: LaneRow): void {
    if (row.openedBy === null) void select({ at: 'journey' });
    else if (figures && onlane) onlane(row);
    else void select({ at: 'card', key: row.openedBy });
  }

  /** Scrolls to what may not be drawn yet. */
  function reveal(selection: Selection): void {
    const card = selection.at === 'card' ? layout.cards.find((c) => c.step.key === selection.key) : null;
    const gap = selection.at === 'gap' ? gapOf(selection) : null;
    const place = card ? { x1: card.x, x2: card.x + CARD_WIDTH, y: card.y } : gap;
    if (place) view.reveal(place.x1, place.x2, place.y);
  }
  // What is selected from elsewhere, the read-through or a finding, comes into view too.
  $effect(() => {
    const selection = editor.selection;
    untrack(() => reveal(selection));
  });

  async function select(selection: Selection): Promise<void> {
    editor.selection = selection;
    reveal(selection);
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

  /** Waits for what was typed where a kind of step could be. */
  function waitFor(text: string): void {
    const gap = inserting?.gap;
    inserting = null;
    if (!gap) return;
    typing.begin(gap, text);
    commitGap(gap);
  }

  async function editGap(gap: Gap, text: string): Promise<void> {
    if (!editable) return;
    typing.begin(gap, text);
    await tick();
    const input = sheet.querySelector<HTMLInputElement>('.gap-input');
    input?.focus();
    if (!text || gap.waits.length) input?.setSelectionRange(text.length, text.length);
  }

  function commitGap(gap: Gap): void {
    const place = typing.take(gap);
    if (!place) return;
    editor.selection = { at: 'gap', ...place };
    sheet.focus();
  }

  /** The gap of another lane that a card is over; `null` while it is on its own. */
  function gapUnder(card: Card, dx: number, dy: number): Gap | null {
    const rows = Math.round(dy / ROW_HEIGHT);
    return rows ? nearestGap(layout, card.row + rows, card.x + dx) : null;
  }

  function dropWords(card: Card, dx: number, dy: number): string | null {
    if (Math.round(dy / ROW_HEIGHT)) {
      const gap = gapUnder(card, dx, dy);
      return gap ? `to ${layout.rows[gap.row]?.label}` : 'stays here';
    }
    const to = dropOf(layout, card, dx, anchor);
    return to && `${to.moment}: ${to.for ? `wait ${durationShort(to.for)}` : 'no wait'}`;
  }

  function drop(card: Card, dx: number, dy: number): void {
    if (Math.round(dy / ROW_HEIGHT)) {
      const gap = gapUnder(card, dx, dy);
      if (!chosen.has(card.step.key)) editor.selection = { at: 'card', key: card.step.key };
      if (gap) editor.moveTo(gap.lane, gap.index);
      return;
    }
    const to = dropOf(layout, card, dx, anchor);
    if (!to) return;
    editor.apply({ edit: 'wait', lane: to.gap.lane, index: to.gap.index, for: to.for });
    void select({ at: 'card', key: card.step.key });
  }

  function leaveGap(): void {
    typing.leave();
    sheet.focus();
  }

  /** Moves what is selected to the lane above or below: to the gap there that is nearest. */
  function toLane(key: string, by: number): void {
    const card = layout.cards.find((c) => c.step.key === key);
    const gap = card && nearestGap(layout, card.row + by, card.x);
    if (gap) editor.moveTo(gap.lane, gap.index);
  }

  // The computer's own clipboard: what is copied can be read in a text editor, and pasted from one.
  function oncopy(event: ClipboardEvent, cut: boolean): void {
    if (inserting || typing.open || !editable) return;
    const text = cut ? editor.cut() : editor.copy();
    if (text === null) return;
    event.clipboardData?.setData('text/plain', text);
    event.preventDefault();
  }
  function onpaste(event: ClipboardEvent): void {
    if (inserting || typing.open || !editable) return;
    event.preventDefault();
    editor.paste(event.clipboardData?.getData('text/plain'));
  }

  function onkeydown(event: KeyboardEvent): void {
    if (typingIn(event) || inserting) return;
    const { key } = event;
    const selection = editor.selection;
    const card = selection.at === 'card' ? selection.key : null;
    const command = event.ctrlKey || event.metaKey;
    const handled = (): void => event.preventDefault();
    if (command && card && editable && key.toLowerCase() === 'd') {
      handled();
      return editor.duplicate();
    }
    if (command) return;
    if (event.altKey && card && editable && (key === 'ArrowLeft' || key === 'ArrowRight')) {
      handled();
      return editor.shift(key === 'ArrowRight' ? 1 : -1);
    }
    if (event.altKey && card && editable && (key === 'ArrowUp' || key === 'ArrowDown')) {
      handled();
      return toLane(card, key === 'ArrowDown' ? 1 : -1);
    }
    if (event.altKey && /^[012]$/.test(key)) {
      handled();
      void (key === '0' ? view.zoomTo(1) : key === '1' ? view.fit() : view.fitStep(card));
      return;
    }
    if (event.altKey && key === '3') {
      handled();
      return editor.focusLane(card ? placeOf(journey, card)?.lane : selectedGap?.lane);
    }
    if (event.altKey) return;
    if (event.shiftKey && card && (key === 'ArrowLeft' || key === 'ArrowRight')) {
      handled();
      return editor.extend(key === 'ArrowRight' ? 1 : -1);
    }
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
      if (opener && editor.folding.keys.has(opener) === (key === ']')) {
        handled();
        editor.folding.toggle(opener);
        editor.selection = { at: 'card', key: opener };
      }
    } else if (key === 'Enter') {
      handled();
      if (selectedGap) openInsert(selectedGap, '');
      else editor.focusPanel++;
    } else if (key === 'u' && !selectedGap && editable) {
      handled();
      onunfinished?.();
    } else if (key === 'o' && card && editable) {
      handled();
      editor.toggleOff(card);
    } else if ((key === 'Delete' || key === 'Backspace') && editable) {
      handled();
      if (card) editor.remove();
      else if (selectedGap?.waits.length) {
        editor.apply({ edit: 'waits', lane: selectedGap.lane, index: selectedGap.index, waits: [] });
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

<div class="frame">
  <div
    bind:this={sheet}
    class="sheet"
    role="treegrid"
    aria-multiselectable="true"
    aria-readonly={!editable}
    aria-activedescendant={placeId(editor.selection)}
    aria-label="Route sheet of {journey.name ?? journey.key}. Arrow keys move, question mark lists the keys."
    tabindex="0"
    {onkeydown}
    onscroll={() => view.look()}
    oncopy={(e) => oncopy(e, false)}
    oncut={(e) => oncopy(e, true)}
    {onpaste}
  >
    <div
      class="inner"
      style="width: {LANES_WIDTH + layout.width}px; --rows: {layout.height +
        PAD_BOTTOM}px; --zoom: {view.zoom}; zoom: {view.zoom}"
    >
      <Ruler {journey} {layout} watched={figures !== null} />
      <div
        class="body"
        style="grid-template-columns: {LANES_WIDTH}px {layout.width}px; grid-template-rows: repeat({layout.rows
          .length}, {ROW_HEIGHT}px) 1fr"
      >
        <SheetLines {layout} {figures} />
        <div class="below" style="grid-row: {layout.rows.length + 1}"></div>
        <span class="finish" style="left: {layout.end.x + 7}px; top: {layout.end.y - 10}px">
          finish{#if figures}<b>{number(figures.finished)}</b>{/if}
        </span>

        {#each layout.rows as row, i (row.id)}
          <SheetLane
            {row}
            words={laneWords(row)}
            count={figures ? number(laneCount(figures, row)) : null}
            siblings={layout.rows.filter((r) => r.openedBy === row.openedBy).length}
            expanded={expanded[i]}
            selected={row.openedBy === null && editor.selection.at === 'journey'}
            onpress={() => pressLane(row)}
          >
            {#each gaps[i] ?? [] as gap (`${gap.lane.join('.')}/${gap.index}`)}
              <GapCell
                {gap}
                id={placeId({ at: 'gap', lane: gap.lane, index: gap.index })}
                spoken={gapSpoken(gap)}
                words={gapWords(gap)}
                quiet={!editable}
                selected={isSelected({ at: 'gap', lane: gap.lane, index: gap.index })}
                problem={typing.problemOf(gap)}
                bind:text={typing.text}
                onselect={() => void select({ at: 'gap', lane: gap.lane, index: gap.index })}
                onedit={() => void editGap(gap, typedGap(gap.waits))}
                oninsert={() => openInsert(gap, '')}
                oncommit={() => commitGap(gap)}
                onleave={leaveGap}
                onblur={() => void typing.take(gap)}
              />
            {/each}

            {#each cards[i] ?? [] as card (card.step.key)}
              <StepCard
                {card}
                id={placeId({ at: 'card', key: card.step.key })}
                {figures}
                selected={isSelected({ at: 'card', key: card.step.key }) || chosen.has(card.step.key)}
                others={others.filter((o) => o.step === card.step.key).map((o) => o.name)}
                {sketch}
                small={view.small}
                flagged={editable && flagged.has(card.step.key)}
                onselect={(extend) =>
                  extend ? editor.extendTo(card.step.key) : void select({ at: 'card', key: card.step.key })}
                onopen={() => editor.focusPanel++}
                dropWords={editable ? (dx, dy) => dropWords(card, dx / view.zoom, dy / view.zoom) : null}
                ondrop={(dx, dy) => drop(card, dx / view.zoom, dy / view.zoom)}
                onfold={() => editor.folding.toggle(card.step.key)}
              />
            {/each}
          </SheetLane>
        {/each}

        {#if inserting}
          {@const gap = inserting.gap}
          <div role="row" class="as-is">
            <div role="gridcell" class="as-is">
              <InsertBox
                x={Math.max(4, Math.min(gap.x1, layout.width - 330))}
                y={gap.y + 18}
                filter={inserting.filter}
                {around}
                onchoose={choose}
                onwait={waitFor}
                onleave={() => {
                  inserting = null;
                  sheet.focus();
                }}
              />
            </div>
          </div>
        {/if}
        {#if !journey.lane.length && editable && !inserting}
          <div role="row" class="as-is">
            <div role="gridcell" class="empty">
              Nothing here yet. The caret stands in the first gap: type <kbd>e</kbd> for an email, <kbd>t</kbd> for a
              text,
              <kbd>2d</kbd> to wait two days; <kbd>?</kbd> lists all keys. Or begin
              <a href="/journeys/starters">from a starter</a>.
            </div>
          </div>
        {/if}
      </div>
    </div>
  </div>
  {#if !fits}
    <div class="overview"><Overview {layout} area={view.exactly} ongo={(x, y) => view.scrollTo(x, y)} /></div>
  {/if}
  <div class="zoom" role="group" aria-label="Zoom">
    {#if editor.folding.alone}
      <button onclick={() => editor.focusLane(undefined)} title="Other lanes are folded (Alt 3)"
        >One lane: show all</button
      >
    {/if}
    <button onclick={() => void view.fit()} title="The whole journey in view (Alt 1)">Fit</button>
    <button onclick={() => void view.zoomTo(1)} title="As large as it is (Alt 0)"
      >{Math.round(view.zoom * 100)} %</button
    >
  </div>
</div>

<style>
  .as-is {
    display: contents;
  }
  .overview {
    position: absolute;
    right: 12px;
    bottom: 42px;
    z-index: 4;
  }
  .zoom {
    position: absolute;
    right: 12px;
    bottom: 10px;
    z-index: 4;
    display: flex;
    background: var(--surface);
    border: 1px solid var(--rule);
  }
  .zoom button {
    min-width: 44px;
    height: 24px;
    padding: 0 8px;
    color: var(--ink-soft);
    font: inherit;
    font-size: 12.5px;
    background: none;
    border: 0;
    cursor: pointer;
  }
  .zoom button + button {
    border-left: 1px solid var(--rule);
  }
  .frame {
    position: relative;
    display: flex;
    flex: 1;
    min-width: 0;
    min-height: 0;
  }
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
  .body {
    position: relative;
    display: grid;
    flex: 1;
    min-height: var(--rows);
  }
  /* What stands on lanes is placed from the left of the second column, and from the first row. */
  .body :global(:is(.card, .to, .others, .fold, .gap, .box, svg.ink)),
  .finish,
  .empty {
    grid-column: 2;
  }
  .below {
    position: sticky;
    left: 0;
    z-index: 2;
    grid-column: 1;
    background: var(--surface-2);
    border-right: 1px solid var(--rule-strong);
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
    width: 540px;
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
