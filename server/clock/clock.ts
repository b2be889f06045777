/** The workspace clock. All code asks it; nothing else says what time it is. */
import { ts, type Db } from '../db/pool.ts';

export interface Clock {
  kind: 'practice' | 'real';
  /** UTC ms. */
  now: number;
  /** Whether the invented passers-by react while the practice clock is skipped. */
  passersBy: boolean;
  zone: string;
}

export async function readClock(db: Db): Promise<Clock> {
  const { rows } = await db.query<{ clock: Clock['kind']; now: number; passers_by: boolean; zone: string }>({
    name: 'clock',
    text: `
      select clock, zone, passers_by,
        date_trunc('milliseconds', case clock when 'practice' then practice_now else clock_timestamp() end) as now
      from workspace`
  });
  const row = rows[0];
  if (!row) throw new Error('the workspace is not set up: run "npm run demo"');
  return { kind: row.clock, now: row.now, passersBy: row.passers_by, zone: row.zone };
}

/** The workspace's present instant, UTC ms. */
export async function now(db: Db): Promise<number> {
  return (await readClock(db)).now;
}

/** Moves the practice clock forward; it never goes back. */
export async function setPracticeClock(db: Db, at: number): Promise<void> {
  await db.query({
    name: 'set-clock',
    text: `update workspace set practice_now = greatest(practice_now, $1) where clock = 'practice'`,
    values: [ts(at)]
  });
}
