/**
 * Editing a journey: named edits, one place that applies them. A document is
 * never changed in place; every edit gives a new one that shares what did not
 * change, so that undoing is keeping the old one.
 */
import { produce } from 'immer';
import type { HappeningOrCondition } from '../condition/schema.ts';
import type { Path } from '../journey/problems.ts';
import type { Journey } from '../journey/schema.ts';
import { eachStep } from '../journey/walk-document.ts';
import { kindOf, lanesOf, type Step, STEP_KINDS, type StepName } from '../steps/index.ts';
import type { Until, WaitStep } from '../steps/wait.ts';
import type { GapWait } from './gap-text.ts';
import { repoint } from './repoint.ts';

export type Edit =
  | { edit: 'insert'; lane: Path; index: number; step: Step }
  | { edit: 'remove'; key: string }
  /** Several that stand one after the other. */
  | { edit: 'insert-block'; lane: Path; index: number; steps: Step[] }
  | { edit: 'remove-block'; lane: Path; index: number; count: number }
  /** Takes them from where they stand to another place, which is not inside one of them. */
  | { edit: 'move-block'; from: { lane: Path; index: number; count: number }; to: { lane: Path; index: number } }
  /** Keys set to `undefined` are taken out. */
  | { edit: 'patch'; key: string; set: Record<string, unknown> }
  /** Puts another step of the same key in the place of one; says so in words of its own where they are given. */
  | { edit: 'replace'; step: Step; label?: string }
  /** Moves a step past its neighbour on its lane. */
  | { edit: 'move'; key: string; by: 1 | -1 }
  /** Makes the gap that ends at `index` wait so long; `null`: not at all. */
  | { edit: 'wait'; lane: Path; index: number; for: string | null }
  /** Makes these, and no others, the waits of the gap that ends at `index`. */
  | { edit: 'waits'; lane: Path; index: number; waits: GapWait[] }
  /** Lanes of a branch by rules, a listen or a split; `when` for the first two, `weight` for the last. */
  | { edit: 'add-lane'; key: string; label: string; when?: HappeningOrCondition; weight?: number }
  /** The place behind the last lane is that of those who took none of them. */
  | { edit: 'patch-lane'; key: string; place: number; label?: string; when?: HappeningOrCondition; weight?: number }
  | { edit: 'remove-lane'; key: string; place: number }
  | { edit: 'journey'; set: Partial<Omit<Journey, 'format' | 'key' | 'lane'>> };

export interface Edited {
  document: Journey;
  /** What was done, for the undo list: "Add email". */
  label: string;
}

/** Applies an edit. An edit that cannot be applied (its step is gone) changes nothing. */
export function applyEdit(document: Journey, edit: Edit): Edited {
  switch (edit.edit) {
    case 'insert':
      return {
        label: `Add ${edit.step.kind}`,
        document: produce(document, (d) => void laneAt(d as Journey, edit.lane)?.splice(edit.index, 0, edit.step))
      };
    case 'remove':
      return {
        label: 'Delete step',
        document: onLaneOf(document, edit.key, (lane, i) => void lane.splice(i, 1))
      };
    case 'insert-block':
      return {
        label: edit.steps.length === 1 ? 'Paste step' : `Paste ${edit.steps.length} steps`,
        document: produce(document, (d) => void laneAt(d as Journey, edit.lane)?.splice(edit.index, 0, ...edit.steps))
      };
    case 'remove-block':
      return {
        label: edit.count === 1 ? 'Delete step' : `Delete ${edit.count} steps`,
        document: produce(document, (d) => void laneAt(d as Journey, edit.lane)?.splice(edit.index, edit.count))
      };
    case 'move-block':
      return {
        label: edit.from.count === 1 ? 'Move step' : `Move ${edit.from.count} steps`,
        document: moveBlock(document, edit)
      };
    case 'patch':
      return { label: 'Change step', document: onLaneOf(document, edit.key, (lane, i) => assign(lane[i], edit.set)) };
    case 'replace':
      return {
        label: edit.label ?? 'Change step',
        document: onLaneOf(document, edit.step.key, (lane, i) => void lane.splice(i, 1, edit.step))
      };
    case 'move':
      return {
        label: 'Move step',
        document: onLaneOf(document, edit.key, (lane, i) => {
          const to = i + edit.by;
          const [step] = to >= 0 && to < lane.length ? lane.splice(i, 1) : [];
          if (step) lane.splice(to, 0, step);
        })
      };
    case 'wait':
      return { label: edit.for ? 'Set wait' : 'Remove wait', document: setWait(document, edit) };
    case 'waits':
      return { label: edit.waits.length ? 'Set wait' : 'Remove wait', document: setWaits(document, edit) };
    case 'add-lane':
      return {
        label: 'Add lane',
        document: onLanes(document, edit.key, (held) => {
          const { when, weight } = edit;
          const question = { ...(when === undefined ? {} : { when }), ...(weight === undefined ? {} : { weight }) };
          held.lanes.push({ label: freshLabel(held, edit.label), ...question, lane: [] });
        })
      };
    case 'patch-lane':
      return {
        label: 'Change lane',
        document: onLanes(document, edit.key, ({ lanes, otherwise }) => {
          const lane = lanes[edit.place];
          const named = lane ?? otherwise;
          if (edit.label !== undefined && named) named.label = edit.label;
          if (edit.when !== undefined && lane) lane.when = edit.when;
          if (edit.weight !== undefined && lane) lane.weight = edit.weight;
        })
      };
    case 'remove-lane':
      return {
        label: 'Remove lane',
        document: onLanes(
          document,
          edit.key,
          ({ lanes, least }) => void (lanes.length > least && lanes.splice(edit.place, 1))
        )
      };
    case 'journey':
      return { label: 'Change journey', document: produce(document, (d) => assign(d, edit.set)) };
  }
}

function assign(target: object | undefined, set: Record<string, unknown>): void {
  if (!target) return;
  for (const [key, value] of Object.entries(set)) {
    if (value === undefined) Reflect.deleteProperty(target, key);
    else Reflect.set(target, key, value);
  }
}

/** The steps at a path that ends in a lane. */
export function laneAt(document: Journey, path: Path): Step[] | undefined {
  let value: unknown = document;
  for (const key of path) value = (value as Record<string | number, unknown> | undefined)?.[key];
  return Array.isArray(value) ? (value as Step[]) : undefined;
}

/** Where a step stands; `null` where there is none with that key. */
export function placeOf(document: Journey, key: string): { lane: Path; index: number; step: Step } | null {
  const found = eachStep(document).find((s) => s.step.key === key);
  const index = found?.path.at(-1);
  return found && typeof index === 'number' ? { lane: found.path.slice(0, -1), index, step: found.step } : null;
}

function onLaneOf(document: Journey, key: string, change: (lane: Step[], index: number) => void): Journey {
  const place = placeOf(document, key);
  if (!place) return document;
  return produce(document, (d) => {
    const lane = laneAt(d as Journey, place.lane);
    if (lane) change(lane, place.index);
  });
}

interface HeldLane {
  label: string;
  when?: HappeningOrCondition;
  weight?: number;
  lane: Step[];
}

/** The lanes of a step that can be added and taken away, with the one for everybody else. */
interface HeldLanes {
  lanes: HeldLane[];
  otherwise: { label: string } | null;
  /** So many have to stay. */
  least: number;
}

function heldBy(step: Step | undefined): HeldLanes | null {
  // Each kind's own lanes are these with less: what an edit gives them is what that kind's form asks for.
  if (step?.kind === 'branch' && step.by === 'rules')
    return { lanes: step.lanes as HeldLane[], otherwise: step.otherwise, least: 1 };
  if (step?.kind === 'listen') return { lanes: step.for as HeldLane[], otherwise: step.otherwise, least: 1 };
  return step?.kind === 'split' ? { lanes: step.lanes, otherwise: null, least: 2 } : null;
}

function onLanes(document: Journey, key: string, change: (held: HeldLanes) => void): Journey {
  return onLaneOf(document, key, (lane, i) => {
    const held = heldBy(lane[i]);
    if (held) change(held);
  });
}

function freshLabel({ lanes, otherwise }: HeldLanes, wanted: string): string {
  const used = new Set([...lanes.map((l) => l.label), otherwise?.label]);
  for (let n = 1; ; n++) {
    const label = n === 1 ? wanted : `${wanted} ${n}`;
    if (!used.has(label)) return label;
  }
}

function moveBlock(document: Journey, { from, to }: Extract<Edit, { edit: 'move-block' }>): Journey {
  if (isInside(from, to.lane)) return document;
  return produce(document, (d) => {
    const [source, target] = [laneAt(d as Journey, from.lane), laneAt(d as Journey, to.lane)];
    if (!source || !target) return;
    const moved = source.splice(from.index, from.count);
    // On its own lane the place moves up by what was taken out before it.
    const before = source === target ? Math.min(moved.length, Math.max(0, to.index - from.index)) : 0;
    target.splice(to.index - before, 0, ...moved);
  });
}

/** Whether a lane is opened inside one of the steps of a block. */
export function isInside(block: { lane: Path; index: number; count: number }, lane: Path): boolean {
  const at = lane[block.lane.length];
  const under = block.lane.every((p, i) => lane[i] === p);
  return under && typeof at === 'number' && at >= block.index && at < block.index + block.count;
}

function setWait(document: Journey, { lane: path, index, for: length }: Extract<Edit, { edit: 'wait' }>): Journey {
  return produce(document, (d) => {
    const lane = laneAt(d as Journey, path);
    if (!lane) return;
    let first = index;
    while (first > 0 && lane[first - 1]?.kind === 'wait') first--;
    // The gap's waits for a time become one, with all else it says; a wait until something is another matter, and stays.
    const run = lane.slice(first, index);
    const timed = run.find((step): step is WaitStep => step.kind === 'wait' && step.for !== undefined);
    const wait = length === null ? null : timed ? { ...timed, for: length } : newWait(document, length);
    const kept = run.flatMap((step) => {
      if (step === timed) return wait ? [wait] : [];
      return step.kind === 'wait' && step.for !== undefined ? [] : [step];
    });
    lane.splice(first, index - first, ...kept, ...(timed || !wait ? [] : [wait]));
  });
}

/** A wait that stays of its sort stays the step it was, with all else it says. */
function setWaits(document: Journey, { lane: path, index, waits }: Extract<Edit, { edit: 'waits' }>): Journey {
  return produce(document, (d) => {
    const lane = laneAt(d as Journey, path);
    if (!lane) return;
    let first = index;
    while (first > 0 && lane[first - 1]?.kind === 'wait') first--;
    const before = lane.slice(first, index) as WaitStep[];
    const taken = new Set<string>();
    const made = waits.map((wait): WaitStep => {
      const same = before.find((step) => !taken.has(step.key) && 'for' in wait === (step.for !== undefined));
      const key = same?.key ?? freshKey(document, 'wait', taken);
      taken.add(key);
      if (!same) return { key, kind: 'wait', ...wait };
      if ('for' in wait || !same.until) return { ...same, ...wait };
      // What is not typed stays: the zone it counts in, and what becomes of a date that has passed.
      const { zone } = same.until;
      const past = 'field' in same.until && 'field' in wait.until ? same.until.past : undefined;
      return {
        ...same,
        until: {
          ...wait.until,
          ...(zone === undefined ? {} : { zone }),
          ...(past === undefined ? {} : { past })
        } as Until
      };
    });
    lane.splice(first, index - first, ...made);
  });
}

const newWait = (document: Journey, length: string): WaitStep => ({
  key: freshKey(document, 'wait'),
  kind: 'wait',
  for: length
});

/** A key no step of the journey has. */
export function freshKey(document: Journey, base: string, taken: ReadonlySet<string> = new Set()): string {
  const used = new Set(eachStep(document).map((s) => s.step.key));
  if (base !== 'wait' && !used.has(base) && !taken.has(base)) return base;
  for (let n = base === 'wait' ? 1 : 2; ; n++) {
    const key = `${base.slice(0, 59 - String(n).length)}-${n}`;
    if (!used.has(key) && !taken.has(key)) return key;
  }
}

/** A new step of a kind. A branch asks about the message before it, where there is one. */
export function newStep(document: Journey, kind: StepName, lane: Path, index: number): Step {
  const step = STEP_KINDS[kind].create(freshKey(document, kind));
  const message = messageBefore(document, lane, index);
  if (step.kind === 'listen' && message) {
    const title = kindOf(message).card(message).title;
    return { ...step, for: [{ label: `clicked ${title}`, when: { happening: 'clicked', of: message.key }, lane: [] }] };
  }
  if (step.kind !== 'branch' || step.by !== 'rules' || !message) return step;
  return {
    ...step,
    lanes: [
      { label: `opened ${kindOf(message).card(message).title}`, when: { did: 'opened', of: message.key }, lane: [] }
    ],
    otherwise: { label: 'did not', lane: [] }
  };
}

/** The nearest email before a place, else the nearest text; `null` where none stands before it. */
export function messageBefore(document: Journey, lane: Path, index: number): Step | null {
  const before = messagesBefore(document, lane, index);
  return before.findLast((s) => s.kind === 'email') ?? before.at(-1) ?? null;
}

/** Messages that a walk has passed when it comes to a place. */
export const messagesBefore = (document: Journey, lane: Path, index: number): Step[] =>
  stepsBefore(document, lane, index).filter((s) => s.kind === 'email' || s.kind === 'sms');

/** Steps that a walk may have passed when it comes to a place, with those inside their lanes. */
export function stepsBefore(document: Journey, lane: Path, index: number): Step[] {
  const found: Step[] = [];
  let steps: Step[] = document.lane;
  // Down the path, collecting what stands before each step that holds the next lane.
  const take = (until: number): void => {
    for (const step of steps.slice(0, until)) found.push(step, ...inside(step));
  };
  let at: Path = lane.slice(1);
  while (at.length) {
    const place = at[0];
    if (typeof place !== 'number') break;
    take(place);
    const holder = steps[place];
    if (!holder) break;
    found.push(holder);
    const end = at.indexOf('lane', 1);
    const opened = lanesOf(holder).find((l) => l.path.every((p, i) => at[i + 1] === p));
    steps = opened?.steps ?? [];
    at = at.slice(end + 1);
  }
  take(index);
  return found;
}

function inside(step: Step): Step[] {
  return lanesOf(step).flatMap((l) => l.steps.flatMap((s) => [s, ...inside(s)]));
}

/** A copy of a step with all it holds, with keys of its own; what pointed inside the copy points inside it still. */
export const copyOf = (document: Journey, step: Step): Step => copiesOf(document, [step])[0] ?? step;

/** The same of several steps, which may point at each other. */
export function copiesOf(document: Journey, steps: readonly Step[]): Step[] {
  const keys = new Map<string, string>();
  const taken = new Set<string>();
  for (const s of steps.flatMap((step) => [step, ...inside(step)])) {
    const key = freshKey(document, s.key.replace(/-\d+$/, ''), taken);
    taken.add(key);
    keys.set(s.key, key);
  }
  return steps.map((step) => repoint(step, keys));
}
