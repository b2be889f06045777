/**
 * A walk: one person's way through one version of a journey. Plain JSON, well
 * under 1 KB, so that the live engine can keep it in a row.
 */

import type { Happening } from '../person/happening.ts';

/** Why a walk stands still, and until when (UTC ms). */
export interface Standing {
  kind: 'wait' | 'held' | 'listen' | 'task' | 'held-out';
  until: number;
  /** It ends as idle rather than at its limit. */
  idle?: true;
}

export type WalkState = 'walking' | 'finished' | 'goal' | 'early' | 'stopped';

export interface Walk {
  /** Number of this walk among the person's walks, from 1, oldest first. */
  id: number;
  journey: string;
  /** Which edition of the journey it follows. */
  version: number;
  state: WalkState;
  /** Index of the step it is at, in its plan; -1 is the end of the main lane. */
  at: number;
  standing: Standing | null;
  /** What began it: a happening's name, `hand`, `api`, `handover`, `date`, `timetable` or `existing`. */
  by: string;
  /** UTC ms. */
  enteredAt: number;
  endedAt: number | null;
  reason: string | null;
  /** How often each step that makes a message or an errand was reached, by key: one per walk, step and visit. */
  visits: Record<string, number>;
  goalReached: boolean;
  /** Until when the goal still counts (inclusive, UTC ms); `null` where there is no limit or no goal. */
  goalUntil: number | null;
  /** What began it, where that was a happening: its data fills messages in and answers `same`. */
  entry?: Happening;
  /** Place of its `entered` among the records of the person, where its plan asks what came behind; endless before it begins. */
  since?: number;
  /** Watched, but takes no step. */
  heldOut?: true;
  /** How often each loop has gone back, by its key. */
  loops?: Record<string, number>;
  /** Which lane of each split it took, by its key. */
  taken?: Record<string, number>;
  /** Records that a listen of this walk has taken. */
  used?: number[];
  /** When waits for a time of day were last passed, by key, UTC ms. */
  passed?: Record<string, number>;
}

/** Whether the walk has ended but its goal would still count at `at`. */
export function isWatched(walk: Walk, at: number): boolean {
  return walk.state !== 'walking' && !walk.goalReached && walk.goalUntil !== null && at <= walk.goalUntil;
}
