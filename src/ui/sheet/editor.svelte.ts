/** The state of an open sheet: document, history, selection, saving. One place applies edits. */
import type { Finding } from '$core/check/index.ts';
import { blockText, readBlock } from '$core/edit/block.ts';
import { applyEdit, copiesOf, laneAt, newStep, placeOf, type Edit } from '$core/edit/edit.ts';
import type { Carried } from '$core/edit/carried.ts';
import { mergeJourneys } from '$core/edit/merge.ts';
import { begin, commit, rebase, redo, undo, type History } from '$core/edit/history.ts';
import type { Path } from '$core/journey/problems.ts';
import type { Journey } from '$core/journey/schema.ts';
import { changesBetween, type Change } from '$core/tell/changes.ts';
import { canBeOff, isOff, type Step, type StepName } from '$core/steps/index.ts';
import type { CurrentDraft } from '$server/journeys/journeys.ts';
import { Folding } from './folding.svelte.ts';
import { Copies } from './copies.svelte.ts';
import { send } from '$ui/api.ts';
import * as shelf from '$ui/kit/shelf.ts';

/** A card by its step, a gap by its lane and place, or the journey itself (its first row). */
export type Selection = { at: 'card'; key: string } | { at: 'gap'; lane: Path; index: number } | { at: 'journey' };

export type SaveState =
  | { kind: 'saved'; at: number }
  | { kind: 'unsaved' | 'saving' }
  /** `retry`: it is tried again by itself; otherwise someone has to decide. */
  | { kind: 'failed'; message: string; retry: boolean };

/** What somebody else changed while this was being edited, and what both did. */
export interface Joined {
  by: string;
  changes: Change[];
  both: string[];
}

/** Steps that stand one after the other on a lane. */
export interface Chosen {
  lane: Path;
  index: number;
  steps: Step[];
}

const CLIPBOARD = 'ambulo-copied';
const SAVE_AFTER_MS = 350;
const MERGE_WITHIN_MS = 1500;

export class Editor {
  history: History<Journey>;
  private at = $state<Selection>({ at: 'journey' });
  /** Key of the other end of what is selected, on the same lane; `null`: only one. */
  private upTo = $state<string | null>(null);
  saving: SaveState;
  /** Counts up when the panel should take the focus. */
  focusPanel = $state(0);
  /** Counts up when the sheet should take it back. */
  focusSheet = $state(0);
  /** Counts up when the findings should be seen. */
  showFindings = $state(0);
  private clipboard: string | null = null;
  private readonly copies: Copies;
  /** What others changed, until it has been read. */
  joined = $state.raw<Joined | null>(null);
  /** Counts up when a copy is to be looked at. */
  copied = $state(0);
  said = $state('');
  readonly folding = new Folding();
  private revision: number;
  private timer: ReturnType<typeof setTimeout> | null = null;
  private inFlight = false;
  private lastEdit = { field: '', at: 0 };
  private savedDocument: Journey;

  constructor(
    readonly key: string,
    draft: Journey,
    revision: number,
    private savedAt: number
  ) {
    this.history = $state.raw(begin(draft));
    this.saving = $state({ kind: 'saved', at: savedAt });
    this.revision = revision;
    this.savedDocument = draft;
    this.copies = new Copies(key);
  }

  /** Takes back what an earlier page could not save before it was closed, if nobody has changed the draft since. */
  restore(): void {
    this.copies.restore();
    const kept = shelf.take<{ revision: number; document: Journey; base?: Journey }>(this.shelf);
    if (!kept) return;
    const { revision, document, base } = kept;
    if (revision !== this.revision && !base) return shelf.clear(this.shelf);
    const saved = this.document;
    const { document: together, both } =
      revision === this.revision || !base ? { document, both: [] } : mergeJourneys(base, document, saved);
    this.history = commit(this.history, together, 'What was not saved', false);
    if (base && revision !== this.revision) this.joined = { by: '', changes: changesBetween(base, saved), both };
    this.say('What could not be saved last time is here again.');
    this.scheduleSave();
  }

  /** Where a draft is kept in the browser while the server cannot take it. */
  private get shelf(): string {
    return `ambulo-unsaved/${this.key}`;
  }

  get document(): Journey {
    return this.history.present;
  }

  get selection(): Selection {
    return this.at;
  }

  set selection(to: Selection) {
    this.at = to;
    this.upTo = null;
  }

  /** Selects from the card that is selected up to another of the same lane. */
  extendTo(key: string): void {
    const [from, to] = [
      this.at.at === 'card' ? placeOf(this.document, this.at.key) : null,
      placeOf(this.document, key)
    ];
    if (!from || !to || from.lane.join('.') !== to.lane.join('.')) return;
    this.upTo = to.step.key === from.step.key ? null : key;
    const count = this.chosen?.steps.filter((s) => s.kind !== 'wait').length ?? 1;
    this.say(`${count} steps selected.`);
  }

  /** Extends the selection by a card along its lane. */
  extend(by: 1 | -1): void {
    if (this.at.at !== 'card') return;
    const place = placeOf(this.document, this.upTo ?? this.at.key);
    const lane = place && laneAt(this.document, place.lane);
    if (!lane) return;
    let index = place.index + by;
    while (lane[index]?.kind === 'wait') index += by;
    const next = lane[index];
    if (next) this.extendTo(next.key);
  }

  /** The steps that are selected, with the waits between them; `null` where no card is. */
  get chosen(): Chosen | null {
    if (this.at.at !== 'card') return null;
    const from = placeOf(this.document, this.at.key);
    const to = this.upTo === null ? from : placeOf(this.document, this.upTo);
    if (!from || !to || from.lane.join('.') !== to.lane.join('.')) return null;
    const [first, last] = [Math.min(from.index, to.index), Math.max(from.index, to.index)];
    return { lane: from.lane, index: first, steps: laneAt(this.document, from.lane)?.slice(first, last + 1) ?? [] };
  }

  get selected(): Step | null {
    return this.selection.at === 'card' ? (placeOf(this.document, this.selection.key)?.step ?? null) : null;
  }

  /** The draft's revision as last saved; what a review is about. */
  get savedRevision(): number {
    return this.revision;
  }

  /** Applies an edit. Edits of one `field` in quick succession are one thing to undo. */
  apply(edit: Edit, field = ''): void {
    const { document, label } = applyEdit(this.document, edit);
    // What changes nothing is nothing to undo, and begins no typing that later keys could belong to.
    if (document === this.document) return;
    const now = Date.now();
    const merge = field !== '' && field === this.lastEdit.field && now - this.lastEdit.at < MERGE_WITHIN_MS;
    this.lastEdit = { field, at: now };
    // Heard once, however much is typed.
    if (!merge) this.say(`${label}.`);
    this.history = commit(this.history, document, label, merge);
    this.scheduleSave();
  }

  /** Applies the edit that a finding offers. */
  fix({ fix, step }: Finding): void {
    if (!fix) return;
    this.apply(fix.edit);
    this.selection = step ? { at: 'card', key: step } : { at: 'journey' };
    this.say(`${fix.label}: done. Ctrl Z takes it back.`);
  }

  undo(): void {
    const label = this.history.past.at(-1)?.label;
    if (!label) return this.say('There is nothing to undo.');
    this.history = undo(this.history);
    this.afterJump(`Undone: ${label}`);
  }

  redo(): void {
    const label = this.history.future[0]?.label;
    if (!label) return this.say('There is nothing to redo.');
    this.history = redo(this.history);
    this.afterJump(`Done again: ${label}`);
  }

  private afterJump(text: string): void {
    this.lastEdit = { field: '', at: 0 };
    // What was selected may be gone.
    if (this.selection.at === 'card' && !placeOf(this.document, this.selection.key)) this.selection = { at: 'journey' };
    if (this.selection.at === 'gap') {
      const lane = laneAt(this.document, this.selection.lane);
      if (!lane) this.selection = { at: 'journey' };
      else if (this.selection.index > lane.length) this.selection = { ...this.selection, index: lane.length };
    }
    this.say(text);
    this.scheduleSave();
  }

  say(text: string): void {
    this.said = text;
  }

  insert(kind: StepName, lane: Path, index: number): void {
    this.place(newStep(this.document, kind, lane, index), lane, index);
    this.focusPanel++;
  }

  private place(step: Step, lane: Path, index: number): void {
    this.apply({ edit: 'insert', lane, index, step });
    this.selection = { at: 'card', key: step.key };
  }

  /** Turns a step off, or on again. */
  toggleOff(key: string): void {
    const step = placeOf(this.document, key)?.step;
    if (!step) return;
    if (!canBeOff(step)) return this.say('A step that opens lanes, waits, loops or ends the journey cannot be off.');
    const off = isOff(step);
    this.apply({ edit: 'patch', key, set: { off: off ? undefined : true } });
    this.say(off ? 'On again.' : 'Off: everyone passes it over.');
  }

  /** Deletes what is selected. */
  remove(): void {
    const chosen = this.chosen;
    if (!chosen) return;
    const { lane, index, steps } = chosen;
    this.apply({ edit: 'remove-block', lane, index, count: steps.length });
    this.selection = { at: 'gap', lane, index };
    this.say('Deleted. Ctrl Z brings it back.');
  }

  /** What is selected as text, for the clipboard of the computer; also kept for other windows of this browser. */
  copy(): string | null {
    const chosen = this.chosen;
    if (!chosen) return null;
    this.clipboard = blockText(this.key, chosen.steps);
    // Where the browser has no room for it, this page still has it.
    if (!shelf.put(CLIPBOARD, this.clipboard)) shelf.clear(CLIPBOARD);
    this.say(chosen.steps.length === 1 ? 'Copied.' : `Copied ${chosen.steps.length} steps.`);
    return this.clipboard;
  }

  cut(): string | null {
    const text = this.copy();
    if (text !== null) this.remove();
    return text;
  }

  /** Puts in what was copied, here or elsewhere. `text`: what the computer's clipboard holds. */
  paste(text = ''): void {
    const kept = shelf.take<unknown>(CLIPBOARD);
    const copied = text.trim() || (typeof kept === 'string' ? kept : this.clipboard);
    if (!copied) return this.say('Nothing was copied yet.');
    const read = readBlock(copied);
    if ('problem' in read) return this.say(`Not pasted: ${read.problem}.`);
    const { journey, steps } = read.block;
    const original = journey !== this.key || steps.some((s) => placeOf(this.document, s.key) !== null);
    this.putIn(copiesOf(this.document, steps), this.whereTo(), original ? 'Pasted.' : null);
  }

  /** A gap that is selected, or behind what is selected. */
  private whereTo(): { lane: Path; index: number } {
    if (this.at.at === 'gap') return { lane: this.at.lane, index: this.at.index };
    const chosen = this.chosen;
    return chosen ? { lane: chosen.lane, index: chosen.index + chosen.steps.length } : { lane: ['lane'], index: 0 };
  }

  /** `said`: what was done, where what the copy carries is to be looked at; what was cut and is put elsewhere is the original itself. */
  private putIn(steps: Step[], { lane, index }: { lane: Path; index: number }, said: string | null): void {
    this.apply({ edit: 'insert-block', lane, index, steps });
    const card = steps.find((s) => s.kind !== 'wait');
    this.selection = card ? { at: 'card', key: card.key } : { at: 'gap', lane, index: index + steps.length };
    this.say(said ?? 'Pasted.');
    if (said === null) return;
    const count = this.copies.add(this.document, steps);
    if (!count) return;
    this.copied++;
    this.say(
      `${said} ${count === 1 ? 'One value is' : `${count} values are`} as in the original: see below the sheet.`
    );
  }

  duplicate(): void {
    const chosen = this.chosen;
    if (!chosen) return;
    const { lane, index, steps } = chosen;
    this.putIn(copiesOf(this.document, steps), { lane, index: index + steps.length }, 'Duplicated.');
  }

  /** Moves what is selected past its neighbour on its lane. */
  shift(by: 1 | -1): void {
    const chosen = this.chosen;
    if (!chosen) return;
    const { lane, index, steps } = chosen;
    const to = by === 1 ? index + steps.length + 1 : index - 1;
    if (to < 0 || to > (laneAt(this.document, lane)?.length ?? 0)) return;
    this.moveTo(lane, to);
  }

  /** Moves what is selected to a place of this lane or another. */
  moveTo(lane: Path, index: number): void {
    const chosen = this.chosen;
    if (!chosen) return;
    const [at, upTo] = [this.at, this.upTo];
    const before = this.document;
    this.apply({
      edit: 'move-block',
      from: { lane: chosen.lane, index: chosen.index, count: chosen.steps.length },
      to: { lane, index }
    });
    if (this.document === before) return this.say('It cannot be moved into itself.');
    this.at = at;
    this.upTo = upTo;
  }

  get toReview(): Carried[] {
    return this.copies.toReview(this.document);
  }

  /** Says yes to what copies carry: it is right as it is. */
  approve(...items: Carried[]): void {
    this.copies.approve(items);
  }

  /** Looks at one lane alone; again, or without a lane: at all of them as they were. */
  focusLane(lane: Path | undefined): void {
    if (this.folding.alone) {
      this.folding.all();
      return this.say('All lanes again.');
    }
    if (!lane) return;
    this.folding.only(this.document, lane);
    this.say('Other lanes are folded. Alt 3 shows them again.');
  }

  private scheduleSave(): void {
    if (this.saving.kind === 'failed' && !this.saving.retry) return;
    this.saving = { kind: 'unsaved' };
    if (this.timer) clearTimeout(this.timer);
    this.timer = setTimeout(() => void this.save(), SAVE_AFTER_MS);
  }

  /** Brings in what somebody else has saved meanwhile; what is not theirs stays as it is here, also for undo. */
  private join({ revision, document, by }: CurrentDraft): void {
    const base = this.savedDocument;
    const merged = mergeJourneys(base, this.document, document);
    this.history = rebase(this.history, merged.document, (value) => mergeJourneys(base, value, document).document);
    this.revision = revision;
    this.savedDocument = document;
    const changes = changesBetween(base, document);
    const before = this.joined;
    this.joined = {
      by,
      changes: [...(before?.changes ?? []), ...changes],
      both: [...(before?.both ?? []), ...merged.both]
    };
    if (this.at.at === 'card' && !placeOf(this.document, this.at.key)) this.selection = { at: 'journey' };
    this.say(`${by || 'Another window'} changed this draft too: both are here.`);
  }

  /** Hears how often the draft was saved; brings in what is new, once nothing of ours is on its way. */
  async hear(revision: number): Promise<void> {
    if (revision <= this.revision || this.inFlight || this.saving.kind !== 'saved') return;
    const answer = await send<CurrentDraft>('GET', `/api/journeys/${this.key}/draft`);
    if (!answer.ok || this.inFlight || answer.data.revision <= this.revision) return;
    const own = this.hasUnsaved;
    this.join(answer.data);
    if (own) this.scheduleSave();
    else this.history = { ...this.history, present: answer.data.document };
    if (!own) this.savedDocument = this.history.present;
  }

  get hasUnsaved(): boolean {
    return this.document !== this.savedDocument;
  }

  /** Saves now, if there is anything to save. True once the draft on the server is what is shown. */
  async save(keepalive = false): Promise<boolean> {
    if (this.timer) clearTimeout(this.timer);
    this.timer = null;
    if (this.inFlight) {
      await new Promise((resolve) => setTimeout(resolve, 50));
      return this.save(keepalive);
    }
    if (!this.hasUnsaved) {
      // Undone and done again: what is shown is what was saved.
      if (this.saving.kind === 'unsaved') this.saving = { kind: 'saved', at: this.savedAt };
      return true;
    }
    const document = this.document;
    this.inFlight = true;
    this.saving = { kind: 'saving' };
    const answer = await send<{ revision: number; savedAt: number }>(
      'PUT',
      `/api/journeys/${this.key}/draft`,
      { revision: this.revision, document },
      { keepalive }
    );
    this.inFlight = false;
    if (answer.ok) {
      this.revision = answer.data.revision;
      this.savedDocument = document;
      this.savedAt = answer.data.savedAt;
      this.saving = { kind: 'saved', at: this.savedAt };
      shelf.clear(this.shelf);
      if (document !== this.document) return this.save();
      return true;
    }
    const current = (answer.data as { current?: CurrentDraft } | null)?.current;
    if (answer.status === 409 && current) {
      this.join(current);
      return this.save(keepalive);
    }
    // The server away or without its database comes back; a refusal does not.
    const retry = answer.status === 0 || answer.status >= 500;
    const kept = !retry || shelf.put(this.shelf, { revision: this.revision, document, base: this.savedDocument });
    const message = kept
      ? answer.message
      : `${answer.message} The browser has no room to keep it: leave this page open.`;
    this.saving = { kind: 'failed', message, retry };
    if (retry) this.timer = setTimeout(() => void this.save(), 3000);
    return false;
  }
}
