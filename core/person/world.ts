/**
 * What a person moves among while they are worked on, and who hears of it: the
 * world of journeys and settings, inputs from outside, and the recorder.
 */
import type { Channel, ConsentState, FieldValue } from './values.ts';
import type { JourneyPlan } from '../journey/compile.ts';
import type { Surroundings } from '../walk/surroundings.ts';
import type { Walk } from '../walk/walk.ts';
import type { Happening } from './happening.ts';
import type { Errand, SentMessage } from './state.ts';

/**
 * Who can bring back a consent that was withdrawn: the person, by an act of their own, or one colleague, for one person, with a
 * reason.
 */
export type ActOf = 'person' | 'colleague';

/** One line of a trail, before it is printed or stored. */
export interface TrailLine {
  /** UTC ms. */
  at: number;
  walk: number | null;
  journey: string;
  step: string | null;
  what: string;
  /** Further keys, in the order in which they are printed. */
  detail: Record<string, unknown>;
}

/** A change of a fact, for whoever keeps facts. */
export type FactChange =
  | { fact: 'tag' | 'list' | 'segment'; name: string; on: boolean }
  | { fact: 'score'; name: string; points: number }
  | { fact: 'consent'; channel: Channel; state: ConsentState | null }
  | { fact: 'field'; name: string; value: FieldValue | null }
  | { fact: 'suppressed'; address: string };

/** Takes what happens while a person is worked on, in order. */
export interface Recorder {
  /** A walk that has just begun; its later changes are made to this same object. */
  walk(walk: Walk): void;
  trail(line: TrailLine): void;
  /** A happening that the engine itself set off, or (`given`) the one it was handed. */
  happening(h: Happening, given: boolean): void;
  message(m: SentMessage, address: string): void;
  errand(e: Errand): void;
  change(c: FactChange): void;
}

/** The journeys and shared settings that a person moves among. */
export interface World extends Surroundings {
  /** Live journeys in their order; each can be entered. */
  plans: JourneyPlan[];
  /** The plan a running walk follows, which may be an earlier version. */
  planOf(walk: Walk): JourneyPlan;
  suppress(address: string): void;
  /** Journeys that are paused, by key: nobody in them moves or hears of anything, and nobody gets in. */
  paused: ReadonlyMap<string, JourneyPlan>;
  /** By journey, from when on happenings let people in, UTC ms: what is told late begins nothing. Absent: from ever. */
  since?: ReadonlyMap<string, number>;
  /** Happenings that some condition asks about over everything ever recorded. */
  asks: ReadonlySet<string>;
}

/**
 * How segments are looked at. `told`: joining and leaving happens, journeys hear of it. `silently`: it is so from now on, and
 * nothing has happened: what holds when a segment is made, what a silent import brings.
 */
export const JOINING = ['told', 'silently'] as const;
export type Joining = (typeof JOINING)[number];

/** Something that comes from outside. */
export type Input =
  | { kind: 'happening'; happening: Happening }
  | { kind: 'enter'; journey: string; by: string }
  /** A journey is paused no more: what happened to the person meanwhile, in its order. */
  | { kind: 'resumed'; journey: string; happened: Happening[] }
  /**
   * The person is looked at: when the clock next gives them something to do and, where `segments` says how, which of them they are
   * in.
   */
  | { kind: 'look'; segments?: Joining | undefined }
  /** Those inside an earlier version go on in this one, where the step they stand on is still there. */
  | { kind: 'move'; journey: string; version: number }
  /** A journey ends for everyone inside; `walk`: that one alone. */
  | { kind: 'end'; journey: string; walk?: number }
  /** The wait that somebody stands on is over for them, by hand. Nothing comes of it where they stand there no more. */
  | { kind: 'hurry'; walk: number; step: string; by: string }
  /** Someone whom an earlier tag, list or segment lets in when a journey goes live; a refusal is not told. */
  | { kind: 'existing'; journey: string }
  | {
      kind: 'set';
      fields?: Record<string, FieldValue | null>;
      addTags?: string[];
      removeTags?: string[];
      addLists?: string[];
      removeLists?: string[];
      /** Points added, by score. */
      scores?: Record<string, number>;
      consent?: Partial<Record<Channel, ConsentState | null>>;
      /** Whose act it is. Over a consent that is withdrawn nothing takes hold that does not say so. */
      by?: ActOf;
      /** Where the consent was given, and what was agreed to. `address`: the one it is for; one they have no more proves nothing. */
      proof?: { source: string; wording: string | null; address?: string };
    };
