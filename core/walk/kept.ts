/** A walk as it is kept over time: what statements ask about by name, everything else as one plain value. */
import { bare } from '../bare.ts';
import type { Walk } from './walk.ts';

/** What of a walk has a column of its own. All other keys, those of kinds to come included, are in `more`. */
export type WalkColumns = Pick<
  Walk,
  | 'id'
  | 'journey'
  | 'version'
  | 'state'
  | 'at'
  | 'standing'
  | 'by'
  | 'enteredAt'
  | 'endedAt'
  | 'reason'
  | 'goalReached'
  | 'goalUntil'
>;
type More = Omit<Walk, keyof WalkColumns> & { idle?: true };

export interface KeptWalk {
  columns: WalkColumns;
  more: More;
}

/** Parts a walk. `more` is plain JSON. */
export function keepWalk(walk: Walk): KeptWalk {
  const { id, journey, version, state, at, standing, by, enteredAt, endedAt, reason, goalReached, goalUntil, ...more } =
    walk;
  return {
    columns: { id, journey, version, state, at, standing, by, enteredAt, endedAt, reason, goalReached, goalUntil },
    more: standing?.idle ? { ...more, idle: true } : more
  };
}

/** Keys of `more` whose records are keyed by steps. */
const BY_STEP = ['visits', 'loops', 'taken', 'passed'] as const;

/** Puts a walk together again. `columns.standing` needs no `idle`. */
export function restoreWalk(columns: WalkColumns, kept: Partial<More>): Walk {
  const { idle, ...more } = kept;
  const walk: Walk = { visits: bare(), ...more, ...columns };
  for (const key of BY_STEP) if (walk[key]) walk[key] = bare(walk[key]);
  if (idle && walk.standing) walk.standing = { ...walk.standing, idle };
  return walk;
}
