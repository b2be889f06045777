/** What all steps share: the keys every step may carry, and what a step kind has to provide. */
import { z } from 'zod';
import type { Channel, ConsentState, FieldValue } from '../person/values.ts';
import type { HappeningOrCondition } from '../condition/schema.ts';
import type { ErrandKind, PersonState } from '../person/state.ts';
import type { Happening } from '../person/happening.ts';
import { number } from '../tell/words.ts';
import type { Elapsed } from '../time/duration.ts';
import type { AnyStep } from '../walk/plan.ts';
import type { Known, Say } from './known.ts';
import type { FactsUsed } from '../condition/facts-used.ts';
import type { Plan, Instruction } from '../walk/plan.ts';
import type { Surroundings } from '../walk/surroundings.ts';
import type { Standing, Walk } from '../walk/walk.ts';
import { keyText } from '../journey/values.ts';
import { LONGEST, naming, plainText } from '../text/text.ts';

export { keyText as keySchema } from '../journey/values.ts';

/** What a step may add to a number: so little that no journey adds up to more than a number can hold. */
export const points = z.number().min(-1e12).max(1e12);

/** Labels that one step may put on or take off. */
export const MOST_LABELS = 100;

/** Keys that every step may carry. */
export const common = {
  key: keyText,
  name: naming(LONGEST.name).optional(),
  aim: plainText().optional(),
  note: plainText().optional()
};

/** Keys of a step that does something and opens nothing: it may be off, and is passed over then. */
export const switchable = { ...common, off: z.boolean().optional() };

/** A change of one field, as a `field` step and `ambulo.set` make it: a value, or `null` to clear it. */
export type FieldChange = [name: string, value: FieldValue | null];

/** What a step asks for. Data only: whoever runs the walk carries it out. */
export type Effect =
  | { do: 'send'; channel: Channel; service: boolean }
  | { do: 'label'; fact: 'tag' | 'list'; what: 'tagged' | 'listed'; add: string[]; remove: string[] }
  | { do: 'field'; set: FieldChange[] }
  | { do: 'score'; score: string; change: { add: number } | { set: number } }
  /** Something that is done outside the walk; `what` is the word of the trail. */
  | { do: 'errand'; errand: Exclude<ErrandKind, 'ask'>; what: string }
  | { do: 'consent'; channel: Channel; state: ConsentState }
  | { do: 'withdraw'; from: string[] | 'others' }
  /** `stay`: the walk goes on here as well. */
  | { do: 'handover'; journey: string; stay: boolean }
  /** Says something in the trail; `step` where it is about another step than this one. */
  | { do: 'note'; what: string; detail: Record<string, unknown>; step?: string };

/** Where the walk goes after a step: on to an instruction (-1: the end), still here, or out. */
export type Move =
  | { go: number }
  | { stand: Standing; reason?: 'hours' | 'limit' }
  | { leave: 'finished' | 'goal' | 'early' | 'stopped'; reason: string | null };

export interface StepContext {
  /** UTC ms. */
  at: number;
  /** The person's own zone, the journey's, the settings', then UTC: the first there is. */
  zone: string;
  plan: Plan;
  walk: Walk;
  person: PersonState;
  around: Surroundings;
}

export interface Outcome {
  effects: Effect[];
  move: Move;
}

/** What a walk that stands on a step makes of a happening. */
export interface Hearing extends Outcome {
  /** Whether the happening is used up, so that nothing else of this walk is offered it. */
  used: boolean;
}

/** A lane that a step opens. `path` is where it stands inside the step, for messages and edits. */
export interface OpenedLane<S extends AnyStep = AnyStep> {
  label: string;
  /** What takes people here, where that is a condition or happening. */
  when: HappeningOrCondition | null;
  /** Who comes here, in words, where there is no `when`: "half of them, by chance". */
  who: string | null;
  steps: S[];
  /** When people come here, after they came to the step; absent: at once. */
  after?: Elapsed;
  path: (string | number)[];
}

/** What is counted of a step. */
export interface StepFigures {
  /** People it was done for. */
  done: number;
  /** People who stand on it now. */
  standing: number;
  opened: number;
  clicked: number;
  replied: number;
  /** Messages that are tried again. */
  retrying: number;
  /** People by the lane they took. */
  lanes: Record<string, number>;
}

/** A line of the trail in words: what it was, and more about it. */
export type TrailWords = (detail: Record<string, unknown>) => [what: string, detail: string];

/**
 * One kind of step: everything that is particular to it, in one place. What has no question mark every kind has to say;
 * the rest is for kinds that it means something to.
 */
export interface StepKind<S> {
  /** Shown where the kind is chosen: what it does, in a few words. */
  does: string;
  /** Adds what running it needs to know of a person, beside what its lanes ask. */
  reads: (step: S, facts: FactsUsed) => void;
  /** Whom it still concerns who can no longer be written to: by its channel, by something that is no message, or not at all. */
  reaches: Channel | 'other' | null;
  /** What is not chosen yet and keeps it from going live: what it lacks, and what to do. */
  lacks: (step: S) => [lacking: string, hint: string] | null;
  /** What it names that does not exist, or that does not fit. Paths are inside the step. */
  problems?: (step: S, known: Known, say: Say) => void;
  /** A new one, as the editor inserts it. */
  create: (key: string) => S;
  /** The lanes it opens, in order of the document; none for most kinds. */
  lanes: (step: S) => OpenedLane[];
  /** What can be worked out once for all walks: durations read, conditions compiled. `own` is the journey's key. */
  prepare?: (step: S, own: string) => unknown;
  /** Takes the step. `here.prepared` is what `prepare` gave. */
  run: (step: S, here: Instruction, context: StepContext) => Outcome;
  /** What comes when the instant that people stand on it for has come; absent: the step is taken again. */
  due?: (step: S, here: Instruction, context: StepContext) => Outcome;
  /** What a happening means to who stands on it; `null`: nothing. Absent: it listens to nothing. */
  hears?: (step: S, here: Instruction, h: Happening, context: StepContext) => Hearing | null;
  /** The earlier step it can go back to. */
  backTo?: (step: S) => string;
  /** Nothing comes behind it. */
  ends?: true;
  /** Whether it hands on what began the walk, so that walks have to remember that. */
  handsOnEntry?: true;
  /** Points what it says of other steps at their new keys; the step is changed in place. */
  repoint?: (step: S, renamed: (key: string) => string) => void;
  /** Of its keys, those that are no values of its own when it is copied, and what others are called. */
  carried?: { not?: readonly string[]; words?: Readonly<Record<string, string>> };
  /** How long people stand on it, by the plan alone; `null` where they go on at once. */
  lasts: (step: S) => Elapsed | null;
  /** What a card shows: a name, and the one line that matters. */
  card: (step: S) => { title: string; line: string };
  /** The sentence of the read-through, without its lanes. `name` finds the title of another step. */
  tell: (step: S, name: (key: string) => string) => string;
  /** The trail line that says it was done, by which it is counted; `null` for kinds that decide or wait. */
  done: string | null;
  /** The one figure of its card, once it is live. */
  figure: (figures: StepFigures) => string;
  /** The trail lines of its own making, in words, by what they say they are. */
  trail?: Readonly<Record<string, TrailWords>>;
}

/** For kinds that need to know nothing more. */
export const readsNothing = (): void => undefined;

/** For kinds that are complete as the editor makes them, or told by a check of their own. */
export const lacksNothing = (): null => null;

/** For kinds on which nobody stands still. */
export const atOnce = (): null => null;

/** A figure of a kind that does one thing: "12 tagged". */
export const counted =
  (did: string) =>
  ({ done }: StepFigures): string =>
    `${number(done)} ${did}`;

/** For kinds that open lanes: for how many a lane was found. */
export const decided = ({ lanes }: StepFigures): string =>
  `${number(Object.values(lanes).reduce((a, b) => a + b, 0))} decided`;

/** A list of texts in a trail line's detail. */
export const listed = (value: unknown): string => (Array.isArray(value) ? value.join(', ') : '');

/** What came of an errand, where whoever shows the line has put it there: "answered 200", "not yet: …". */
export const errandWords = (d: Record<string, unknown>): string => {
  const error = typeof d['error'] === 'string' ? `: ${d['error']}` : '';
  if (d['errand'] === 'failed') return `came to nothing${error}`;
  if (d['errand'] === 'queued' || d['errand'] === 'sending') return `not yet${error}`;
  return typeof d['status'] === 'number' ? `answered ${d['status']}` : '';
};

/** Words for labels put on and taken off. */
export const labelled =
  (what: string): TrailWords =>
  (d) => {
    const [add, remove] = [listed(d['add']), listed(d['remove'])];
    return [what, [add && `+ ${add}`, remove && `− ${remove}`].filter(Boolean).join(' ') || 'nothing changed'];
  };

/** For kinds that open no lanes. */
export const noLanes = (): OpenedLane[] => [];

/** Goes on after some effects. */
export const goOn = (here: Instruction, ...effects: Effect[]): Outcome => ({ effects, move: { go: here.next } });

/** Takes a lane, and says which. */
export const take = (step: string, here: Instruction, lane: number, label: string): Outcome => ({
  effects: [{ do: 'note', what: 'took', detail: { lane: label }, step }],
  move: { go: here.lanes[lane] ?? here.next }
});

/** A lane of the document as an opened lane. */
export const opened = (
  lane: { label: string; lane: AnyStep[] },
  path: (string | number)[],
  who: string | null,
  when: HappeningOrCondition | null = null
): OpenedLane => ({ label: lane.label, when, who, steps: lane.lane, path });

/** Text in quotation marks. */
export const quote = (text: string): string => `“${text}”`;

/** Order of texts by their code units: the same on every machine, whatever its language. */
export const byCode = (a: string, b: string): number => (a < b ? -1 : a > b ? 1 : 0);
