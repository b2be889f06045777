/** An import that is under way, or is being taken back, and its turn among others. */
import type { Db } from '../db/pool.ts';
import type { ImportPlan } from './plan.ts';

export interface Running {
  id: number;
  name: string;
  state: 'running' | 'undoing';
  plan: ImportPlan;
  total: number;
  reached: number;
  made: number;
  updated: number;
  unchanged: number;
  first_made: number | null;
  last_made: number | null;
}

/** One that waits for room in the inbox lets those go first that need none; false: there is nothing to do for it now. */
export async function lastInTurn(db: Db, id: number): Promise<false> {
  await db.query('update imports set worked_at = clock_timestamp() where id = $1', [id]);
  return false;
}
