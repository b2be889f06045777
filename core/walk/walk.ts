/**
 * A walk: one person's way through one version of a journey. Plain JSON, well
 * under 1 KB, so that the live engine can keep it in a row.
 */

/** Why a walk stands still, and until when (UTC ms). */
export interface Standing {
  kind: 'wait' | 'held';
  until: number;
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
  /** What began it: a happening's name, `hand` or `existing`. */
  by: string;
  /** UTC ms. */
  enteredAt: number;
  endedAt: number | null;
  reason: string | null;
  /** How often each message step was reached, by key: a message is one per walk, step and visit. */
  visits: Record<string, number>;
  goalReached: boolean;
  /** Until when the goal still counts (inclusive, UTC ms); `null` where there is no limit or no goal. */
  goalUntil: number | null;
}

/** Whether the walk has ended but its goal would still count at `at`. */
export function isWatched(walk: Walk, at: number): boolean {
  return walk.state !== 'walking' && !walk.goalReached && walk.goalUntil !== null && at <= walk.goalUntil;
}
