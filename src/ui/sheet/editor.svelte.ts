/** The state of an open sheet: document, history, selection, saving. One place applies edits. */
import type { Finding } from '$core/check/index.ts';
import { applyEdit, copyOf, laneAt, newStep, placeOf, type Edit } from '$core/edit/edit.ts';
import { carriedBy, type Carried } from '$core/edit/carried.ts';
import { begin, commit, redo, undo, type History } from '$core/edit/history.ts';
import type { Path } from '$core/journey/problems.ts';
import type { Journey } from '$core/journey/schema.ts';
import { namingOf } from '$core/tell/read-through.ts';
import { canBeOff, isOff, stepSchema, type Step, type StepName } from '$core/steps/index.ts';
import { z } from 'zod';
import { send } from '$ui/api.ts';
import * as shelf from '$ui/kit/shelf.ts';

/** A card by its step, a gap by its lane and place, or the journey itself (its first row). */
export type Selection = { at: 'card'; key: string } | { at: 'gap'; lane: Path; index: number } | { at: 'journey' };

export type SaveState =
  | { kind: 'saved'; at: number }
  | { kind: 'unsaved' | 'saving' }
  /** `retry`: it is tried again by itself; otherwise someone has to decide. */
  | { kind: 'failed'; message: string; retry: boolean };

/** A step that was copied, with the journey it came from. */
const copiedSchema = z.object({ journey: z.string(), step: stepSchema });
type Copied = z.infer<typeof copiedSchema>;
const CLIPBOARD = 'ambulo-copied';

const SAVE_AFTER_MS = 350;
const MERGE_WITHIN_MS = 1500;

export class Editor {
  history: History<Journey>;
  selection = $state<Selection>({ at: 'journey' });
  saving: SaveState;
  /** Counts up when the panel should take the focus. */
  focusPanel = $state(0);
  /** Counts up when the sheet should take it back. */
  focusSheet = $state(0);
  /** Counts up when the findings should be seen. */
  showFindings = $state(0);
  private clipboard: Copied | null = null;
  /** Copies made here, with what they carry that nobody has looked at yet. */
  private copies = $state.raw<{ key: string; carried: Carried[] }[]>([]);
  /** Counts up when a copy is to be looked at. */
  copied = $state(0);
  said = $state('');
  folded = $state<Set<string>>(new Set());
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
  }

  /** Takes back what an earlier page could not save before it was closed, if nobody has changed the draft since. */
  restore(): void {
    const kept = shelf.take<{ revision: number; document: Journey }>(this.shelf);
    if (!kept) return;
    const { revision, document } = kept;
    if (revision !== this.revision) return shelf.clear(this.shelf);
    this.history = commit(this.history, document, 'What was not saved', false);
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

  remove(key: string): void {
    const place = placeOf(this.document, key);
    if (!place) return;
    this.apply({ edit: 'remove', key });
    this.selection = { at: 'gap', lane: place.lane, index: place.index };
    this.say('Deleted. Ctrl Z brings it back.');
  }

  /** Also for other journeys and other windows of this browser. */
  copy(key: string): void {
    const step = placeOf(this.document, key)?.step;
    if (!step) return;
    this.clipboard = { journey: this.key, step };
    // Where the browser has no room for it, this page still has it.
    if (!shelf.put(CLIPBOARD, this.clipboard)) shelf.clear(CLIPBOARD);
    this.say('Copied.');
  }

  /** What was copied last, here or in another window. */
  private lastCopied(): Copied | null {
    // What was kept by an older edition, or by something else under our name, is no step of ours.
    return copiedSchema.safeParse(shelf.take(CLIPBOARD)).data ?? this.clipboard;
  }

  cut(key: string): void {
    this.copy(key);
    this.remove(key);
  }

  paste(): void {
    const copied = this.lastCopied();
    if (!copied) return this.say('Nothing was copied yet.');
    const here = this.selection;
    const place = here.at === 'card' ? placeOf(this.document, here.key) : null;
    const original = copied.journey !== this.key || placeOf(this.document, copied.step.key) !== null;
    const copy = copyOf(this.document, copied.step);
    if (here.at === 'gap') this.place(copy, here.lane, here.index);
    else if (place) this.place(copy, place.lane, place.index + 1);
    else this.place(copy, ['lane'], 0);
    this.say('Pasted.');
    // What was cut and is put elsewhere is the original itself.
    if (original) this.reviewCopy(copy, 'Pasted.');
  }

  duplicate(key: string): void {
    const place = placeOf(this.document, key);
    if (!place) return;
    const copy = copyOf(this.document, place.step);
    this.place(copy, place.lane, place.index + 1);
    this.reviewCopy(copy, 'Duplicated.');
  }

  /** Has everything that a copy carries looked at: what stays as it is in the original is for someone to say yes to. */
  private reviewCopy(copy: Step, done: string): void {
    const carried = carriedBy(copy, namingOf(this.document));
    if (!carried.length) return;
    this.copies = [...this.copies, { key: copy.key, carried }];
    this.copied++;
    this.say(
      `${done} ${carried.length === 1 ? 'One value is' : `${carried.length} values are`} as in the original: see below the sheet.`
    );
  }

  /** What copies still carry, and nobody has said yes to. */
  get toReview(): Carried[] {
    if (!this.copies.length) return [];
    const name = namingOf(this.document);
    return this.copies.flatMap(({ key, carried }) => {
      const block = placeOf(this.document, key)?.step;
      const now = new Map(block ? carriedBy(block, name).map((c) => [c.id, c]) : []);
      return carried.flatMap((c) => {
        const there = now.get(c.id);
        return there?.raw === c.raw ? [there] : [];
      });
    });
  }

  /** Says yes to what copies carry: it is right as it is. */
  approve(...items: Carried[]): void {
    const right = new Set(items.map((c) => c.id));
    this.copies = this.copies
      .map(({ key, carried }) => ({ key, carried: carried.filter((c) => !right.has(c.id)) }))
      .filter(({ carried }) => carried.length);
  }

  toggleFold(key: string): void {
    const folded = new Set(this.folded);
    if (!folded.delete(key)) folded.add(key);
    this.folded = folded;
  }

  private scheduleSave(): void {
    if (this.saving.kind === 'failed' && !this.saving.retry) return;
    this.saving = { kind: 'unsaved' };
    if (this.timer) clearTimeout(this.timer);
    this.timer = setTimeout(() => void this.save(), SAVE_AFTER_MS);
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
    // The server away or without its database comes back; a conflict or a refusal does not.
    const retry = answer.status === 0 || answer.status >= 500;
    const kept = !retry || shelf.put(this.shelf, { revision: this.revision, document });
    const message = kept
      ? answer.message
      : `${answer.message} The browser has no room to keep it: leave this page open.`;
    this.saving = { kind: 'failed', message, retry };
    if (retry) this.timer = setTimeout(() => void this.save(), 3000);
    return false;
  }
}
