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

/** So much further than the last instant handed out the real clock is marked as reached. */
const AHEAD = '2 seconds';
/** Steps back of less than the difference are what every machine's clock makes now and then. */
const BACK = '3 seconds';
/** Further back than this the clock was wrong before, not now: to stand until it is there again could take years. */
const WRONG = '6 hours';

/**
 * The real clock. Where the machine's was set back it stands at the latest instant that may have been handed out, until the
 * machine's has come there again: something that happens now would otherwise lie before what led to it.
 */
const REAL = `(select case when clock_timestamp() < m.reached - interval '${WRONG}' then clock_timestamp()
  when clock_timestamp() < m.reached - interval '${BACK}' then greatest(m.reached, m.not_before)
  else greatest(clock_timestamp(), m.not_before) end from machine_clock m)`;

/** The present instant of `workspace`, as SQL. */
export const PRESENT = `date_trunc('milliseconds', case clock when 'practice' then practice_now else ${REAL} end)`;

/** Marks how far the real clock has come, before work is done at it: about once a second, whoever comes first. */
export async function holdClock(db: Db): Promise<void> {
  await db.query({
    name: 'hold-clock',
    text: `
      update machine_clock
      set not_before = case when clock_timestamp() < reached - interval '${WRONG}' then '-infinity' when clock_timestamp() < reached - interval '${BACK}' then reached else not_before end,
        reached = case when clock_timestamp() < reached - interval '${WRONG}' then clock_timestamp() + interval '${AHEAD}'
          else greatest(reached, clock_timestamp() + interval '${AHEAD}') end
      where (clock_timestamp() > reached - interval '1 second'
          or (clock_timestamp() < reached - interval '${BACK}' and not_before < reached))
        and exists (select from workspace where clock = 'real')`
  });
}

export async function readClock(db: Db): Promise<Clock> {
  const { rows } = await db.query<{ clock: Clock['kind']; now: number; passers_by: boolean; zone: string }>({
    name: 'clock',
    text: `
      select clock, zone, passers_by, ${PRESENT} as now from workspace`
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
