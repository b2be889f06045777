/**
 * Skipping the practice clock ahead: from one due instant to the next, waiting
 * at each until all work is done, never past work still to be done. Asked for
 * by a row, carried out by one worker at a time, stopped by a word in the row.
 */
import { z } from 'zod';
import { runBatch } from '../engine/batch.ts';
import type { Engine } from '../engine/context.ts';
import { dispatch } from '../engine/dispatch.ts';
import { notify } from '../db/notify.ts';
import { ts, type Db } from '../db/pool.ts';
import { readClock, setPracticeClock } from './clock.ts';

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
}

export class SkipError extends Error {}

/** Asks for a skip; refused where the clock is real, the target past, or another skip is under way. */
export async function askSkip(db: Db, target: number | null, passersBy: boolean, by: string): Promise<number> {
  const clock = await readClock(db);
  if (clock.kind === 'real') throw new SkipError('This workspace runs on the real clock, which cannot be skipped.');
  if (target !== null && target <= clock.now)
    throw new SkipError('That is not ahead of the present: the practice clock never goes back.');
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
    `select id, target, started_from, passers_by, state, reached, hops, error from clock_skips order by id desc limit 1`
  );
  return rows[0] ?? null;
}

const SKIP_LOCK = 4_116_002;

/** Carries out the skip that was asked for, if there is one and no other worker has it. True where one was. */
export async function runAskedSkip(engine: Engine): Promise<boolean> {
  const db = await engine.pool.connect();
  let broken: Error | undefined;
  try {
    const lock = await db.query<{ got: boolean }>('select pg_try_advisory_lock($1) as got', [SKIP_LOCK]);
    if (!lock.rows[0]?.got) return false;
    try {
      // A row left "running" belongs to a worker that died: its lock is free, so we go on with it.
      const { rows } = await db.query<SkipRow>(
        `update clock_skips set state = 'running' where state in ('asked', 'running')
         returning id, target, started_from, passers_by, state, reached, hops, error`
      );
      if (!rows[0]) return false;
      await carryOut(engine, rows[0]);
      return true;
    } finally {
      await db.query('select pg_advisory_unlock($1)', [SKIP_LOCK]).catch((e: Error) => (broken = e));
    }
  } finally {
    db.release(broken);
  }
}

async function carryOut(engine: Engine, skip: SkipRow): Promise<void> {
  const { pool } = engine;
  const finish = (state: 'done' | 'stopped' | 'failed', error: string | null): Promise<unknown> =>
    pool.query(
      `update clock_skips set state = $2, error = $3, reached = (select practice_now from workspace) where id = $1`,
      [skip.id, state, error]
    );
  let hops = skip.hops;
  try {
    for (;;) {
      const next = await settle(engine, skip.passers_by);
      const { now } = await readClock(pool);
      const target = skip.target ?? next;
      if (target === null || now >= target) break;
      const to = next === null ? target : Math.min(next, target);
      const { rows } = await pool.query<{ stop_asked: boolean }>({
        name: 'skip-hop',
        text: `update clock_skips set hops = $2, reached = $3 where id = $1 returning stop_asked`,
        values: [skip.id, ++hops, ts(to)]
      });
      if (rows[0]?.stop_asked) {
        await finish('stopped', null);
        await notify(pool, 'clock');
        return;
      }
      await setPracticeClock(pool, to);
      await notify(pool, 'clock');
      if (skip.target === null) {
        await settle(engine, skip.passers_by);
        break;
      }
    }
    await finish('done', null);
  } catch (error) {
    await finish('failed', (error as Error).message);
    throw error;
  } finally {
    await notify(pool, 'clock');
  }
}

/** Those whose work fails wait for their own try, and hold up nobody. */
const NOT_ASIDE = 'not exists (select from set_aside a where a.person_id = g.person_id)';

/** Works until nothing is left to do at this instant; gives the next due instant, in UTC ms. */
export async function settle(engine: Engine, passersBy: boolean): Promise<number | null> {
  const { pool, plans, post } = engine;
  for (;;) {
    const people = (await runBatch(pool, plans)).people;
    const sent = await dispatch(pool, plans, post);
    if (people + sent > 0) continue;
    const { now } = await readClock(pool);
    const street = await tellPassersBy(engine, now, passersBy);
    if (street.done > 0) continue;
    // Another worker may hold the last of it; what it holds still looks due.
    const left = await pool.query<{ due: boolean; next: number | null }>({
      name: 'what-is-next',
      text: `
        select
          exists (select from agenda g where g.next_at <= $1 and ${NOT_ASIDE})
            or exists (select from happenings g where g.handled_at is null and ${NOT_ASIDE})
            or exists (select from messages where state in ('queued', 'sending') and try_at <= $1) as due,
          least(
            (select min(next_at) from agenda g where ${NOT_ASIDE}),
            (select min(try_at) from messages where state in ('queued', 'sending'))
          ) as next`,
      values: [ts(now)]
    });
    const row = left.rows[0];
    if (row?.due) {
      await new Promise((resolve) => setTimeout(resolve, 20));
      continue;
    }
    const instants = [row?.next ?? null, street.next].filter((n): n is number => n !== null);
    return instants.length ? Math.min(...instants) : null;
  }
}

const told = z.object({ done: z.number(), next: z.iso.datetime().nullable() });

async function tellPassersBy(
  { passersBy }: Engine,
  now: number,
  act: boolean
): Promise<{ done: number; next: number | null }> {
  if (!passersBy) return { done: 0, next: null };
  const response = await fetch(new URL('/clock', passersBy), {
    method: 'POST',
    body: JSON.stringify({ now: new Date(now).toISOString(), act })
  });
  if (!response.ok)
    throw new Error(`the passers-by answered ${response.status}: ${(await response.text()).slice(0, 200)}`);
  const { done, next } = told.parse(await response.json());
  return { done, next: act && next !== null ? Date.parse(next) : null };
}
