/**
 * Skipping the practice clock ahead: from one due instant to the next, waiting
 * at each until all work is done, never past work still to be done. Asked for
 * by a row, carried out by one worker at a time, stopped by a word in the row.
 */
import { NOT_PAUSED } from '../post/outbox-rows.ts';
import { z } from 'zod';
import { DAY } from '../../core/time/duration.ts';
import { runBatch } from '../engine/batch.ts';
import type { Engine } from './context.ts';
import { notify } from '../db/notify.ts';
import { isNobodysFault, isUnavailable, ts, type Db, type Pool } from '../db/pool.ts';
import { decideEarly } from '../intake/early.ts';
import { nextCrowd, workCrowd } from '../crowds/crowds.ts';
import { lookAtMidnight, midnightDue } from '../crowds/midnight.ts';
import { goLiveInTime, liveAtDue } from '../journeys/live-at.ts';
import { readClock, setPracticeClock } from '../workspace/clock.ts';

export interface SkipRow {
  id: number;
  /** Absent: only to the next thing due. */
  target: number | null;
  started_from: number;
  passers_by: boolean;
  state: 'asked' | 'running' | 'done' | 'stopped' | 'failed';
  reached: number | null;
  hops: number;
  error: string | null;
  /** What it waits for while it stands still, in words. */
  waiting: string | null;
}

export class SkipError extends Error {}

/** Asks for a skip; refused where the clock is real, the target past, or another skip is under way. */
export async function askSkip(db: Db, target: number | null, passersBy: boolean, by: string): Promise<number> {
  const clock = await readClock(db);
  if (clock.kind === 'real') throw new SkipError('This workspace runs on the real clock, which cannot be skipped.');
  if (target !== null && target <= clock.now)
    throw new SkipError('That is not ahead of the present: the practice clock never goes back.');
  if (target !== null && target - clock.now > FARTHEST)
    throw new SkipError('That is more than five years ahead. Skip at most five years at once.');
  const { rows } = await db.query<{ id: number }>(
    `insert into clock_skips (target, started_from, passers_by, asked_by) values ($1, $2, $3, $4)
     on conflict ((true)) where state in ('asked', 'running') do nothing
     returning id`,
    [ts(target), ts(clock.now), passersBy, by]
  );
  const id = rows[0]?.id;
  if (id === undefined) throw new SkipError('The clock is being skipped already. Stop that first, or wait for it.');
  await db.query('update workspace set passers_by = $1', [passersBy]);
  await notify(db, 'skip');
  return id;
}

export async function stopSkip(db: Db): Promise<void> {
  await db.query(`update clock_skips set stop_asked = true where state in ('asked', 'running')`);
}

/** The skip under way, or the last one that ended. */
export async function latestSkip(db: Db): Promise<SkipRow | null> {
  const { rows } = await db.query<SkipRow>(
    `select id, target, started_from, passers_by, state, reached, hops, error, waiting from clock_skips order by id desc limit 1`
  );
  return rows[0] ?? null;
}

/** So many tries of a message hold up the clock; later ones do not. */
const HELD_TRIES = 6;
/** Tries of telling the passers-by the time, half a second apart. */
const STREET_TRIES = 60;
/** Further ahead than this the clock is not moved at once. */
const FARTHEST = 5 * 366 * DAY;

const SKIP_LOCK = 4_116_002;

/**
 * Carries out the skip that was asked for, if there is one and no other worker has it. True where one was. Left as it
 * stands, for the next worker, once `ending` says so.
 */
export async function runAskedSkip(engine: Engine, ending?: AbortSignal): Promise<boolean> {
  const db = await engine.pool.connect();
  let broken: Error | undefined;
  try {
    const lock = await db.query<{ got: boolean }>('select pg_try_advisory_lock($1) as got', [SKIP_LOCK]);
    if (!lock.rows[0]?.got) return false;
    try {
      // A row left "running" belongs to a worker that died: its lock is free, so we go on with it.
      const { rows } = await db.query<SkipRow>(
        `update clock_skips set state = 'running' where state in ('asked', 'running')
         returning id, target, started_from, passers_by, state, reached, hops, error, waiting`
      );
      if (!rows[0]) return false;
      await carryOut(engine, rows[0], ending);
      return true;
    } finally {
      await db.query('select pg_advisory_unlock($1)', [SKIP_LOCK]).catch((e: Error) => (broken = e));
    }
  } finally {
    db.release(broken);
  }
}

async function carryOut(engine: Engine, skip: SkipRow, ending?: AbortSignal): Promise<void> {
  const { pool } = engine;
  const finish = (state: 'done' | 'stopped' | 'failed', error: string | null): Promise<unknown> =>
    pool.query(
      `update clock_skips set state = $2, error = $3, waiting = null, reached = (select practice_now from workspace) where id = $1`,
      [skip.id, state, error]
    );
  let hops = skip.hops;
  const stop = new AbortController();
  const signal = ending ? AbortSignal.any([stop.signal, ending]) : stop.signal;
  const watch = setInterval(() => void watchForStop(pool, skip.id, stop), WATCH_MS);
  try {
    for (;;) {
      const next = await settle(engine, skip.passers_by, signal, (waiting) => sayWaiting(pool, skip.id, waiting));
      if (ending?.aborted) return;
      if (stop.signal.aborted) return void (await finish('stopped', null));
      const { now } = await readClock(pool);
      const target = skip.target ?? next;
      if (target === null || now >= target) break;
      const to = next === null ? target : Math.min(next, target);
      const { rows } = await pool.query<{ stop_asked: boolean }>({
        name: 'skip-hop',
        text: `update clock_skips set hops = $2, reached = $3 where id = $1 returning stop_asked`,
        values: [skip.id, ++hops, ts(to)]
      });
      if (rows[0]?.stop_asked) return void (await finish('stopped', null));
      await setPracticeClock(pool, to);
      await notify(pool, 'clock');
      if (skip.target === null) {
        await settle(engine, skip.passers_by, signal);
        break;
      }
    }
    await finish('done', null);
  } catch (error) {
    // With the database away, or its disk full, nothing is decided: the row stays as it is, and whoever comes next goes on
    // from there.
    if (!isNobodysFault(error)) await finish('failed', (error as Error).message);
    throw error;
  } finally {
    clearInterval(watch);
    await notify(pool, 'clock').catch(() => undefined);
  }
}

const WATCH_MS = 250;

async function watchForStop(pool: Pool, id: number, stop: AbortController): Promise<void> {
  try {
    const { rows } = await pool.query<{ stop_asked: boolean }>({
      name: 'skip-stop-asked',
      text: 'select stop_asked from clock_skips where id = $1',
      values: [id]
    });
    if (rows[0]?.stop_asked) stop.abort();
  } catch {
    // The database is away; the work itself meets that, and says so.
  }
}

/** Shows what a skip waits for; nothing where it goes on. */
async function sayWaiting(pool: Pool, id: number, waiting: string | null): Promise<void> {
  const { rowCount } = await pool.query({
    name: 'skip-waiting',
    text: 'update clock_skips set waiting = $2 where id = $1 and waiting is distinct from $2',
    values: [id, waiting]
  });
  if (rowCount) await notify(pool, 'clock');
}

/** Those whose work fails wait for their own try, and hold up nobody. */
const NOT_ASIDE = 'not exists (select from set_aside a where a.person_id = g.person_id)';
/**
 * Messages that the clock does not pass: new ones, those in hand, those that wait for a server that is away or stopped,
 * and the first tries of others. One that cannot be filled in, or that a server will not have, holds up nobody.
 */
const HOLDS_CLOCK = `state in ('queued', 'sending') and try_at <= $1
  and (state = 'sending' or trouble is null or trouble = 'away' or (trouble = 'temporary' and attempts < ${HELD_TRIES})
    or exists (select from channels c where c.channel = messages.channel and c.stopped_at is not null))
  and ${NOT_PAUSED} and not exists (select from workspace where sending_stopped_at is not null)`;

/** Errands hold it up for their first tries. */
const ERRAND_HOLDS = `state in ('queued', 'sending') and at <= $1 and attempts < ${HELD_TRIES}
  and not exists (select from journeys j where j.id = errands.journey_id and j.state in ('paused', 'closed', 'archived'))
  and not exists (select from workspace where sending_stopped_at is not null)`;

/**
 * Works until nothing is left to do at this instant; gives the next due instant, in UTC ms. Ends early, with `null`,
 * once `signal` says so. `waits` hears what it waits for.
 */
export async function settle(
  engine: Engine,
  passersBy: boolean,
  signal?: AbortSignal,
  waits: (what: string | null) => Promise<void> = () => Promise.resolve()
): Promise<number | null> {
  const { pool, plans, outboxes } = engine;
  let waited = false;
  let streetTrouble = 0;
  while (!signal?.aborted) {
    // The clock is about to move: whatever a scanner does within seconds, it has done.
    await decideEarly(pool, true);
    // What the clock brings at this instant comes before what is due at it.
    while (await goLiveInTime(pool));
    await lookAtMidnight(pool, plans.settings);
    let asked = 0;
    while (!signal?.aborted && (await workCrowd(pool, plans.settings))) asked++;
    const people = (await runBatch(pool, plans)).people + asked;
    let sent = 0;
    for (const outbox of outboxes) sent += await outbox.fill();
    sent += (await engine.errands.run('messages')) + (await engine.errands.run('calls'));
    if (people + sent > 0) continue;
    const busy = outboxes.filter((o) => o.busy);
    if (busy.length) {
      await Promise.race(busy.map((o) => o.progress(WATCH_MS)));
      continue;
    }
    const { now } = await readClock(pool);
    let street;
    try {
      street = await tellPassersBy(engine, now, passersBy, signal);
    } catch (error) {
      // A stand-in that was killed is started again; one that stays away is no reason to wait for ever.
      if (signal?.aborted) return null;
      if (isUnavailable(error) || ++streetTrouble > STREET_TRIES) throw error;
      await waits(`the passers-by: ${(error as Error).message}`);
      waited = true;
      await pause(500);
      continue;
    }
    streetTrouble = 0;
    if (street.done > 0) continue;
    // Another worker may hold the last of it; what it holds still looks due.
    const left = await pool.query<{ due: boolean; waiting: number; next: number | null; why: string | null }>({
      name: 'what-is-next',
      text: `
        select
          exists (select from agenda g where g.next_at <= $1 and ${NOT_ASIDE})
            or exists (select from happenings g where g.handled_at is null and ${NOT_ASIDE}) as due,
          (select count(*) from (select from messages where ${HOLDS_CLOCK} limit 1000) as m)
            + (select count(*) from (select from errands where ${ERRAND_HOLDS} limit 1000) as e) as waiting,
          (select coalesce((select matter from channels where stopped_at is not null order by channel limit 1),
            (select max(error) from (select error from messages where ${HOLDS_CLOCK} and error is not null limit 100) as e),
            (select max(error) from (select error from errands where ${ERRAND_HOLDS} limit 100) as e)
          )) as why,
          least(
            (select next_at from agenda g where next_at is not null and ${NOT_ASIDE} order by next_at limit 1),
            (select min(try_at) from messages where state in ('queued', 'sending') and try_at > $1)
          ) as next`,
      values: [ts(now)]
    });
    const row = left.rows[0];
    if (row?.due || row?.waiting) {
      if (!row.due && row.why) {
        await waits(`${row.waiting === 1 ? 'a message waits' : `${row.waiting} messages wait`}: ${row.why}`);
        waited = true;
      }
      await pause(row.due ? 20 : 200);
      continue;
    }
    if (waited) await waits(null);
    const crowd = await nextCrowd(pool);
    if (crowd !== null && crowd <= now) {
      // Another worker has it.
      await pause(20);
      continue;
    }
    const instants = [
      row?.next ?? null,
      street.next,
      crowd,
      await midnightDue(pool, plans.settings),
      await liveAtDue(pool)
    ].filter((n): n is number => n !== null);
    return instants.length ? Math.min(...instants) : null;
  }
  return null;
}

const pause = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms));

const told = z.object({ done: z.number(), next: z.iso.datetime().nullable() });

async function tellPassersBy(
  { passersBy }: Engine,
  now: number,
  act: boolean,
  signal: AbortSignal | undefined
): Promise<{ done: number; next: number | null }> {
  if (!passersBy) return { done: 0, next: null };
  const limit = AbortSignal.timeout(120_000);
  const response = await fetch(new URL('/clock', passersBy), {
    method: 'POST',
    headers: { 'content-type': 'application/json', origin: new URL(passersBy).origin },
    body: JSON.stringify({ now: new Date(now).toISOString(), act }),
    signal: signal ? AbortSignal.any([signal, limit]) : limit
  }).catch((error: unknown) => {
    // Not the database: that it cannot be reached is said in its own words.
    throw new Error(
      `they cannot be reached (${String((error as { cause?: { code?: string } }).cause?.code ?? (error as Error).message)})`
    );
  });
  if (!response.ok) throw new Error(`they answered ${response.status}: ${(await response.text()).slice(0, 200)}`);
  const { done, next } = told.parse(await response.json());
  return { done, next: act && next !== null ? Date.parse(next) : null };
}
