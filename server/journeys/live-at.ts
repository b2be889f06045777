/**
 * Going live at an instant: the draft as it was reviewed is kept, and set live by a worker when the workspace's clock is
 * there. Asking, calling it off and carrying it out each hold the journey's row, so of two at once one finds it done.
 */
import { isDeepStrictEqual } from 'node:util';
import type { Journey } from '../../core/journey/schema.ts';
import { readClock } from '../workspace/clock.ts';
import { changed, notify } from '../db/notify.ts';
import { isNobodysFault, isUnavailable, transaction, ts, type Db, type Pool } from '../db/pool.ts';
import { blockersIn, putLive, readyFor, reviewedDraft, type Inside } from './going-live.ts';
import { journeyByKey } from './journeys.ts';

export interface LiveAt {
  /** When it goes live, UTC ms; `null` where it could not. */
  at: number | null;
  inside: Inside;
  by: string;
  /** What kept it from going live. */
  problem: string | null;
  document: Journey;
}

export async function liveAtOf(db: Db, journeyId: number): Promise<LiveAt | null> {
  const { rows } = await db.query<LiveAt>({
    name: 'live-at',
    text: 'select at, inside, asked_by as by, problem, document from live_at where journey_id = $1',
    values: [journeyId]
  });
  return rows[0] ?? null;
}

/** Has the reviewed draft go live at `at`; replaces what was asked before. */
export async function askLiveAt(
  pool: Pool,
  key: string,
  revision: number,
  at: number,
  by: string,
  inside: Inside
): Promise<{ ok: true } | { ok: false; message: string }> {
  // Reviewed before its row is held, as when it goes live at once.
  const draft = await journeyByKey(pool, key);
  const problem = draft?.draft_revision === revision ? await blockersIn(pool, draft.draft) : null;
  return transaction(pool, async (db) => {
    const found = await reviewedDraft(db, key, revision);
    if ('message' in found) return { ok: false, message: found.message };
    if (problem !== null) return { ok: false, message: problem };
    const { now } = await readClock(db);
    if (at <= now) return { ok: false, message: 'That instant has passed. Set it live now, or choose a later one.' };
    await db.query(
      `insert into live_at (journey_id, at, document, inside, asked_by) values ($1, $2, $3, $4, $5)
       on conflict (journey_id) do update
         set at = excluded.at, document = excluded.document, inside = excluded.inside, asked_by = excluded.asked_by,
           problem = null`,
      [found.journey.id, ts(at), JSON.stringify(found.journey.draft), inside, by]
    );
    await notify(db, 'inbox');
    await changed(db, { journeys: [found.journey.id] });
    return { ok: true };
  });
}

/** Calls it off; what could not go live is no longer said. */
export async function callOffLiveAt(pool: Pool, key: string): Promise<void> {
  await transaction(pool, async (db) => {
    const { rows } = await db.query<{ id: number }>('select id from journeys where key = $1 for no key update', [key]);
    if (!rows[0]) return;
    await db.query('delete from live_at where journey_id = $1', [rows[0].id]);
    await changed(db, { journeys: [rows[0].id] });
  });
}

/** When the next one goes live, UTC ms. */
export async function liveAtDue(db: Db): Promise<number | null> {
  const { rows } = await db.query<{ at: number | null }>({
    name: 'live-at-due',
    text: 'select min(at) as at from live_at where at is not null'
  });
  return rows[0]?.at ?? null;
}

/** Sets one live whose time has come; true where there was one. What keeps it from going live is written down, and tried no more. */
export async function goLiveInTime(pool: Pool): Promise<boolean> {
  const due = await liveAtDue(pool);
  if (due === null) return false;
  const { now } = await readClock(pool);
  if (due > now) return false;
  const { rows } = await pool.query<{ id: number; key: string }>(
    `select j.id, j.key from live_at l join journeys j on j.id = l.journey_id where l.at <= $1 order by l.at, j.id limit 1`,
    [ts(now)]
  );
  const [next] = rows;
  if (!next) return false;
  try {
    const before = await journeyByKey(pool, next.key);
    const planned = await liveAtOf(pool, next.id);
    if (!before || !planned) return true;
    const ready = await readyFor(pool, before, planned.document, planned.inside);
    await transaction(pool, async (db) => {
      await db.query('select from journeys where id = $1 for no key update', [next.id]);
      const asked = await liveAtOf(db, next.id);
      const journey = await journeyByKey(db, next.key);
      // Another worker was first, or it was called off.
      if (!journey || asked?.at === null || asked?.at === undefined || asked.at > (await readClock(db)).now) return;
      // Another document was put in its place since: it is looked at anew.
      if (!isDeepStrictEqual(asked, planned)) return;
      const result =
        journey.state === 'archived' || journey.state === 'closed' || journey.state === 'closing'
          ? { ok: false as const, message: 'It was closed before that time.' }
          : await putLive(db, journey, asked.document, asked.by, ready);
      if (result.ok) await db.query('delete from live_at where journey_id = $1', [next.id]);
      else await failed(db, next.id, result.message);
      await changed(db, { journeys: [next.id] });
    });
  } catch (error) {
    if (isUnavailable(error) || isNobodysFault(error)) throw error;
    // One that cannot go live holds up no other.
    await failed(pool, next.id, `It could not be set live: ${(error as Error).message}`.slice(0, 500));
    await changed(pool, { journeys: [next.id] });
  }
  return true;
}

const failed = (db: Db, journeyId: number, message: string): Promise<unknown> =>
  db.query('update live_at set at = null, problem = $2 where journey_id = $1', [journeyId, message]);
