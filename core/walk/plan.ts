/**
 * A plan: a journey made ready for walks. Lanes are one flat list of
 * instructions, each knowing where the walk goes next. Types alone, over any
 * step: `core/journey/compile.ts` makes plans of the steps there are, and a
 * step kind reads a plan without knowing the other kinds.
 */
import type { Test } from '../condition/evaluate.ts';
import type { FactsUsed } from '../condition/facts-used.ts';
import type { Matcher } from '../condition/happening.ts';
import type { Channel } from '../person/values.ts';
import type { Duration } from '../time/duration.ts';
import type { Hours } from '../time/hours.ts';

/** Index of the end of the main lane. */
export const END = -1;

/** What every step has. */
export interface AnyStep {
  key: string;
  kind: string;
}

/** What a walk asks of the document it follows. */
export interface AnyDocument {
  zone?: string | undefined;
  hours?: Hours | undefined;
}

export interface Instruction<S extends AnyStep = AnyStep> {
  index: number;
  step: S;
  /** Place in order of the document. */
  place: number;
  /** Where the walk goes after this step; {@link END} is the end of the main lane. */
  next: number;
  /** The step behind it on its own lane; `null` for the last. */
  sibling: number | null;
  /** First instruction of each lane it opens, in order; an empty lane leads to `next`. */
  lanes: number[];
  /** Of each lane, the instructions on it and on lanes inside it: from, and up to but not with. */
  spans: [from: number, to: number][];
  /** Labels of those lanes. */
  labels: string[];
  /** What the step's kind worked out once for all walks. */
  prepared: unknown;
}

/** A goal or leave rule, ready to be asked: either a condition, or any of some happenings. */
export interface PlanRule {
  test: Test | null;
  match: Matcher | null;
}

/** A date that lets people in, ready to be asked. Times are ms after midnight. */
export interface DatedEntry {
  field: string | null;
  /** A fixed date, as it is written. */
  on: string | null;
  offset: Duration | null;
  time: number | null;
  yearly: boolean;
}

export interface TimetableEntry {
  days: boolean[] | null;
  monthDay: number | null;
  time: number;
  /** `null`: the person's. */
  zone: string | null;
}

/** Whether and how someone may enter who has entered before. */
export const AGAIN = ['once', 'again', 'restart', 'each'] as const;

export interface PlanEntry {
  on: { name: string; match: Matcher }[];
  where: Test | null;
  /** UTC ms before which nobody enters. */
  opens: number;
  again: (typeof AGAIN)[number];
  /** Share of entrants held out, from 0 to 1. */
  holdOut: number;
  existing: { tags: string[]; lists: string[]; segments: string[] } | null;
  date: DatedEntry | null;
  timetable: TimetableEntry | null;
}

/** What a walk can still meet. */
export interface Ahead {
  sends: Set<Channel>;
  /** A message that needs no consent. */
  service: boolean;
  /** A task, a notice, a call or a hand-over: something that is no message. */
  other: boolean;
  /** Names of happenings that a listen or branch asks about. */
  names: Set<string>;
}

export interface Plan<S extends AnyStep = AnyStep, D extends AnyDocument = AnyDocument> {
  key: string;
  /** The edition; 0 for a draft or a replay. */
  version: number;
  document: D;
  instructions: Instruction<S>[];
  /** Index of the first instruction; {@link END} where the main lane is empty. */
  first: number;
  byKey: Map<string, Instruction<S>>;
  entry: PlanEntry;
  goal: (PlanRule & { leave: boolean; within: Duration | null }) | null;
  leaveWhen: (PlanRule & { reason: string })[];
  idle: Duration | null;
  /** Every loop with the place of the step it goes back to. */
  loops: { key: string; target: number }[];
  facts: FactsUsed;
  /** Happenings that can mean anything to a walk of it, by name; `null`: any. */
  wakes: ReadonlySet<string> | null;
  /** Whether walks have to remember what began them. */
  keepsEntry: boolean;
  /** Whether walks have to remember where their records begin. */
  asksSinceEntry: boolean;
  /** Per instruction: what a walk that stands there can still meet, by structure. */
  ahead: (index: number) => Ahead;
}
