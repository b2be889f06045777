/**
 * The brake: a journey is paused and goes on, takes nobody new in, or all sending of the workspace stops. What a journey
 * misses while it is paused is kept with its people (`PersonState.missed`) and heard of when it goes on. Every act
 * stands on a record.
 */
import { now } from '../workspace/clock.ts';
import { askCrowd, countCrowd, wantsLook, type Asked, type CrowdKind } from '../crowds/crowds.ts';
import type { Journey } from '../../core/journey/schema.ts';
import { changed, notify } from '../db/notify.ts';
import { afterBatches } from '../engine/claim.ts';
import { dropWaiting } from '../post/ended.ts';
import { ALL_DAYS } from '../engine/count.ts';
import type { JourneyState } from './journeys.ts';
import { transaction, ts, type Db, type Pool } from '../db/pool.ts';

/** What braking would do, and does: in numbers. */
export interface BrakeFigures {
  /** People who walk it now. */
  inside: number;
  /** Messages that are written and have not gone out. */
  waiting: number;
  /** Of those, how many have waited for longer than they may, so that they do not go out any more. */
  tooLate: number;
}

/** Figures of one journey; `latest` says how old a message may be, in ms by channel. */
export async function brakeFigures(
  db: Db,
  journeyId: number,
  latest: { email: number; sms: number }
): Promise<BrakeFigures> {
  const { rows } = await db.query<BrakeFigures>({
    name: 'brake-figures',
    text: `
      select
        (select coalesce(sum(n), 0) from counters
          where journey_id = $1 and day = '${ALL_DAYS}' and step = '' and what = 'walking') as inside,
        count(*) as waiting,
        count(*) filter (where m.try_at < $2::timestamptz - make_interval(secs => case m.channel when 'email' then $3::double precision else $4::double precision end))
          as "tooLate"
      from messages m
      where m.journey_id = $1 and m.state in ('queued', 'sending')`,
    values: [journeyId, ts(await now(db)), latest.email / 1000, latest.sms / 1000]
  });
  return rows[0] ?? { inside: 0, waiting: 0, tooLate: 0 };
}

export const BRAKE_ACTS = ['pause', 'resume', 'close', 'reopen', 'end', 'archive', 'unarchive'] as const;
export type BrakeAct = (typeof BRAKE_ACTS)[number];

/** From which states an act leads to which; `null`: to the one it was paused in. */
const ACTS: Record<BrakeAct, { from: JourneyState[]; to: JourneyState | null }> = {
  pause: { from: ['live', 'closing'], to: 'paused' },
  resume: { from: ['paused'], to: null },
  close: { from: ['live'], to: 'closing' },
  reopen: { from: ['closing'], to: 'live' },
  end: { from: ['live', 'closing', 'paused'], to: 'closed' },
  archive: { from: ['draft', 'closed'], to: 'archived' },
  unarchive: { from: ['archived'], to: null }
};

/** Deletes a journey that nobody ever entered; false where somebody did, or it is gone. */
export async function deleteJourney(pool: Pool, key: string, by: string): Promise<boolean> {
  return transaction(pool, async (db) => {
    const { rows } = await db.query<{ id: number; name: string }>(
      `select j.id, j.name from journeys j where j.key = $1 and j.state in ('draft', 'closed', 'archived')
         and not exists (select from walks w where w.journey_id = j.id)
         and not exists (select from counters c where c.journey_id = j.id and c.what = 'entered')
       for update`,
      [key]
    );
    const [row] = rows;
    if (!row) return false;
    await noteAct(db, by, 'delete', null, { key, name: row.name });
    await db.query('delete from journeys where id = $1', [row.id]);
    await changed(db, { journeys: [row.id] });
    return true;
  });
}

/** A batch under way is waited for so long before braking is said to be done, ms; what it still writes stays here. */
const BATCH_MS = 1000;

/**
 * Does it; false where the journey is not in a state for it, as when somebody else was first. It holds as soon as its row says
 * so, whatever else is under way: nothing is counted and nobody gone through while that is held.
 */
export async function brake(pool: Pool, key: string, act: BrakeAct, by: string): Promise<boolean> {
  const crowds = await crowdsAfter(pool, key, act, by);
  const id = await transaction(pool, (db) => change(db, key, act, by, crowds));
  if (id === null) return false;
  if (act === 'pause' || act === 'close' || act === 'end') await whatIsUnderWay(pool);
  // Killed before this, the crowd that ends those inside does it.
  if (act === 'end') await dropWaiting(pool, id);
  if (act === 'end') await changed(pool, { journeys: [id], post: true });
  return true;
}

/** The people whom an act concerns once it holds, counted before. */
async function crowdsAfter(pool: Pool, key: string, act: BrakeAct, by: string): Promise<[Asked, number][]> {
  const { rows } = await pool.query<{ id: number; version: number | null; document: Journey | null }>(
    `select j.id, v.number as version, v.document from journeys j
     left join versions v on v.journey_id = j.id and v.number = j.live_version where j.key = $1`,
    [key]
  );
  const { id, version, document } = rows[0] ?? {};
  if (id === undefined || !document || version === null || version === undefined) return [];
  const journey = { id, version, document };
  const kinds: CrowdKind[] = [
    ...((act === 'resume' || act === 'reopen') && wantsLook(document) ? (['look'] as const) : []),
    ...(act === 'end' ? (['end'] as const) : []),
    // Whoever is inside, and whoever would have got in: each hears of what was missed, and timers that are late fire.
    ...(act === 'resume' ? (['resume'] as const) : [])
  ];
  return Promise.all(
    kinds.map(async (kind): Promise<[Asked, number]> => {
      const asked = { kind, by, journey };
      return [asked, await countCrowd(pool, asked)];
    })
  );
}

/** Changes the row and asks for what follows; its number, or null where it is in no state for it. */
async function change(
  db: Db,
  key: string,
  act: BrakeAct,
  by: string,
  crowds: readonly [Asked, number][]
): Promise<number | null> {
  const { from, to } = ACTS[act];
  const at = ts(await now(db));
  const { rows } = await db.query<{ id: number }>(
    `update journeys
     set state = coalesce($3, paused_from, case state when 'archived' then case when live_version is null then 'draft' else 'closed' end else 'live' end),
       paused_at = case $3 when 'paused' then $4::timestamptz end,
       paused_from = case $3 when 'paused' then state end,
       -- Dates that pass while nobody can get in are past.
       open_since = case when $5::boolean then $4 else open_since end
     where key = $1 and state = any($2::text[])
     returning id`,
    [key, from, to, at, act === 'resume' || act === 'reopen']
  );
  const id = rows[0]?.id;
  if (id === undefined) return null;
  for (const [asked, counted] of crowds) await askCrowd(db, asked, counted);
  if (act === 'end')
    await db.query(
      `update crowds set state = 'done', ended_at = clock_timestamp()
      where journey_id = $1 and state <> 'done' and kind not in ('end')`,
      [id]
    );
  await noteAct(db, by, act, id);
  await notify(db, 'inbox');
  await notify(db, 'outbox');
  await changed(db, { journeys: [id], people: 'many', post: true });
  return id;
}

/** Waits a moment for batches that have read the journey as it was, so that the figures said next hold what they still write. */
async function whatIsUnderWay(pool: Pool): Promise<void> {
  try {
    await transaction(pool, async (db) => {
      await db.query(`set local lock_timeout = ${BATCH_MS}`);
      await afterBatches(db);
    });
  } catch (error) {
    // lock_not_available: it holds all the same.
    if ((error as { code?: string }).code !== '55P03') throw error;
  }
}

async function noteAct(db: Db, by: string, what: string, journey: number | null, detail: object = {}): Promise<void> {
  await db.query('insert into acts (at, by, what, journey_id, detail) values ($1, $2, $3, $4, $5)', [
    ts(await now(db)),
    by,
    what,
    journey,
    JSON.stringify(detail)
  ]);
}

/** The last act on a journey. */
export async function lastAct(db: Db, journeyId: number): Promise<{ what: string; by: string; at: number } | null> {
  const { rows } = await db.query<{ what: string; by: string; at: number }>({
    name: 'last-act',
    text: 'select what, by, at from acts where journey_id = $1 order by id desc limit 1',
    values: [journeyId]
  });
  return rows[0] ?? null;
}

export interface Halt {
  /** UTC ms; `null` while sending goes on. */
  since: number | null;
  by: string | null;
  /** Messages that wait. */
  waiting: number;
}

/** Whether all sending is stopped. */
export async function halted(db: Db): Promise<Halt> {
  const { rows } = await db.query<Halt>({
    name: 'halted',
    text: `
      select sending_stopped_at as since, sending_stopped_by as by,
        (select count(*) from (
          select from messages where state in ('queued', 'sending') and try_at <= $1 limit 100000) as m) as waiting
      from workspace`,
    values: [ts(await now(db))]
  });
  return rows[0] ?? { since: null, by: null, waiting: 0 };
}

/** Stops all sending of the workspace, or lets it go on; false where it is so already. */
export async function halt(pool: Pool, stop: boolean, by: string): Promise<boolean> {
  return transaction(pool, async (db) => {
    const { rowCount } = await db.query(
      `update workspace set sending_stopped_at = $1, sending_stopped_by = $2
       where (sending_stopped_at is null) = $3`,
      [stop ? ts(await now(db)) : null, stop ? by : null, stop]
    );
    if (!rowCount) return false;
    await noteAct(db, by, stop ? 'stop-sending' : 'go-on-sending', null);
    await notify(db, 'outbox');
    await changed(db, { post: true });
    return true;
  });
}
