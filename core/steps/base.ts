/** What all steps share: the keys every step may carry, and what a step kind has to provide. */
import { z } from 'zod';
import type { Channel } from '../condition/happening.ts';
import type { HappeningOrCondition } from '../condition/schema.ts';
import type { ConsentState, FieldValue } from '../person/state.ts';
import type { PersonState } from '../person/state.ts';
import type { Facts } from '../journey/facts.ts';
import type { Instruction, Plan } from '../journey/compile.ts';
import type { Surroundings } from '../walk/advance.ts';
import type { Standing, Walk } from '../walk/walk.ts';
import type { Lane } from './lane.ts';
import type { Step } from './index.ts';
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

/** A change of one field, as a `field` step and `ambulo.set` make it: a value, or `null` to clear it. */
export type FieldChange = [name: string, value: FieldValue | null];

/** What a step asks for. Data only: whoever runs the walk carries it out. */
export type Effect =
  | { do: 'send'; channel: Channel; service: boolean }
  | { do: 'label'; fact: 'tag' | 'list'; what: 'tagged' | 'listed'; add: string[]; remove: string[] }
  | { do: 'field'; set: FieldChange[] }
  | { do: 'score'; score: string; change: { add: number } | { set: number } }
  | { do: 'task' }
  | { do: 'consent'; channel: Channel; state: ConsentState }
  | { do: 'withdraw'; from: string[] | 'others' }
  | { do: 'handover'; journey: string }
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

/** A lane that a step opens. `path` is where it stands inside the step, for messages and edits. */
export interface OpenedLane {
  label: string;
  /** What takes people here, where that is a condition or happening. */
  when: HappeningOrCondition | null;
  /** Who comes here, in words, where there is no `when`: "half of them, by chance". */
  who: string | null;
  steps: Step[];
  path: (string | number)[];
}

/** One kind of step: everything the core knows of it, in one place. */
export interface StepKind<S> {
  /** Shown where the kind is chosen: what it does, in a few words. */
  does: string;
  /** Adds what running it needs to know of a person, beside what its lanes ask. */
  reads: (step: S, facts: Facts) => void;
  /** Whom it still concerns who can no longer be written to: by its channel, by something that is no message, or not at all. */
  reaches: Channel | 'other' | null;
  /** What is not chosen yet and keeps it from going live: what it lacks, and what to do. */
  lacks: (step: S) => [lacking: string, hint: string] | null;
  /** A new one, as the editor inserts it. */
  create: (key: string) => S;
  /** The lanes it opens, in order of the document; none for most kinds. */
  lanes: (step: S) => OpenedLane[];
  /** What can be worked out once for all walks: durations read, conditions compiled. `own` is the journey's key. */
  prepare?: (step: S, own: string) => unknown;
  /** Takes the step. `here.prepared` is what `prepare` gave. */
  run: (step: S, here: Instruction, context: StepContext) => Outcome;
  /** What a card shows: a name, and the one line that matters. */
  card: (step: S) => { title: string; line: string };
  /** The sentence of the read-through, without its lanes. `name` finds the title of another step. */
  tell: (step: S, name: (key: string) => string) => string;
}

/** For kinds that need to know nothing more. */
export const readsNothing = (): void => undefined;

/** For kinds that are complete as the editor makes them, or told by a check of their own. */
export const lacksNothing = (): null => null;

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
  lane: { label: string; lane: Lane },
  path: (string | number)[],
  who: string | null,
  when: HappeningOrCondition | null = null
): OpenedLane => ({ label: lane.label, when, who, steps: lane.lane, path });

/** Text in quotation marks. */
export const quote = (text: string): string => `“${text}”`;

/** Order of texts by their code units: the same on every machine, whatever its language. */
export const byCode = (a: string, b: string): number => (a < b ? -1 : a > b ? 1 : 0);
