/**
 * Many people at once: those whom a journey that goes live takes in, a selection, a look at everyone. Asked for by a row,
 * worked off a portion at a time by whichever worker comes: each portion is a short transaction that puts requests into the
 * inbox, and the next waits until the inbox has room, so that nobody else's happenings stand behind a million of these.
 * Stopped by a word in the row; killed at any moment, it goes on behind the last portion.
 */
import { renamed } from '../../core/journey/names.ts';
import { isDated } from '../../core/person/dated.ts';
import type { Journey } from '../../core/journey/schema.ts';
import { compile } from '../../core/journey/compile.ts';
import { parseInstant } from '../../core/time/instant.ts';
import { now, readClock } from '../workspace/clock.ts';
import { changed, notify } from '../db/notify.ts';
import { isGoneMeanwhile, isNobodysFault, transaction, ts, type Db, type Pool } from '../db/pool.ts';
import type { SettingsBook } from '../workspace/settings.ts';
import { eraseAll } from '../protection/erase.ts';
import { nextOf, requestFor, type Change, type Selection } from '../selection/selection.ts';
import { requestRow } from '../inbox/request.ts';
import { inboxHasRoom } from '../inbox/room.ts';
import { afterBatches } from '../engine/claim.ts';
import { dropWaiting } from '../post/ended.ts';
import { mayHaveChanged } from '../selection/may-have-changed.ts';

export type CrowdKind = 'existing' | 'enter' | 'look' | 'midnight' | 'end' | 'move' | 'change' | 'resume';

export interface Crowd {
  id: number;
  kind: CrowdKind;
  journey_id: number | null;
  version: number | null;
  people: number[] | null;
  begins_at: number;
  reached: number;
  asked: number;
  total: number;
  state: 'running' | 'stopped' | 'done';
  asked_by: string;
  selection: Selection | null;
  change: Change | null;
  undoes: number | null;
  /** What kept it from going on. */
  problem: string | null;
}

/** People asked in one portion. */
const PORTION = 2000;

export interface Asked {
  kind: CrowdKind;
  by: string;
  journey?: { id: number; version: number; document: Journey };
  people?: number[];
}

/** Where a crowd's people are found: a table's column of ids, and which of its rows. Each is read in order of an index. */
type Found = readonly [table: string, id: string, where: string];

/** Whom a crowd is made of; parameters are appended to `values`. */
function whom(
  { kind, journey_id: journeyId, version, people }: Pick<Crowd, 'kind' | 'journey_id' | 'version' | 'people'>,
  document: Journey | null,
  values: unknown[]
): Found[] {
  const add = (value: unknown): string => `$${values.push(value)}`;
  if (people) return [['people', 'id', `id = any(${add(people)}::bigint[])`]];
  const inside = (): string => `journey_id = ${add(journeyId)} and state = 'walking'`;
  if (kind === 'end') return [['walks', 'person_id', inside()]];
  if (kind === 'move') return [['walks', 'person_id', `${inside()} and version < ${add(version)}::integer`]];
  // Those inside, whose timers may be late, and those who have something to hear of: also who has left, or would have got in.
  if (kind === 'resume')
    return [
      ['walks', 'person_id', inside()],
      [
        'agenda',
        'person_id',
        `state ? 'missed' and state -> 'missed' @> jsonb_build_array(jsonb_build_array(${add(document?.key)}::text))`
      ]
    ];
  const entry = document && compile(document).entry;
  if (kind === 'existing') return existing(document, values);
  // A look for a date: only those who have one.
  if (entry?.date?.field && !entry.timetable) return [['people', 'id', `fields ? ${add(entry.date.field)}`]];
  return [['people', 'id', 'true']];
}

/** Who has what a journey starts from. */
function existing(document: Journey | null, values: unknown[]): Found[] {
  const { tags = [], lists = [], segments = [] } = (document && compile(document).entry.existing) ?? {};
  const parts = [
    ['person_tags', 'tag', tags],
    ['person_lists', 'list', lists],
    ['person_segments', 'segment', segments]
  ] as const;
  return parts.flatMap(([table, column, names]) =>
    names.map((name): Found => [table, 'person_id', `${column} = $${values.push(name)}`])
  );
}

/** The ids behind `after` in their order, at most `limit`: SQL that gives a column `id`. */
const portionOf = (found: Found[], after: string, limit: string): string =>
  found.length
    ? `select id from (${found
        .map(
          ([table, id, where]) =>
            `(select ${id} as id from ${table} where ${where} and ${id} > ${after} order by ${id} limit ${limit})`
        )
        .join(' union ')}) as f order by id limit ${limit}`
    : 'select 0::bigint as id where false';

/** Ids of those who have what a journey starts from, as SQL that gives a column `id`. */
export const existingIds = (document: Journey, values: unknown[], limit: string): string =>
  portionOf(existing(document, values), '0', limit);

/** How many people have what a journey starts from. */
export async function countExisting(db: Db, document: Journey): Promise<number> {
  const values: unknown[] = [];
  return count(db, existing(document, values), values);
}

async function count(db: Db, found: Found[], values: unknown[]): Promise<number> {
  if (!found.length) return 0;
  const all = found.map(([table, id, where]) => `select ${id} as id from ${table} where ${where}`).join(' union ');
  const { rows } = await db.query<{ n: number }>(`select count(distinct id) as n from (${all}) as f`, values);
  return rows[0]?.n ?? 0;
}

/** How many people a crowd is. Whoever holds a row that others wait for asks before. */
export async function countCrowd(db: Db, { kind, journey, people }: Omit<Asked, 'by'>): Promise<number> {
  const values: unknown[] = [];
  const crowd = {
    kind,
    journey_id: journey?.id ?? null,
    version: journey?.version ?? null,
    people: people ?? null
  };
  return count(db, whom(crowd, journey?.document ?? null, values), values);
}

/** Kinds that concern whoever is there when their turn comes, whatever was counted. */
const WHOEVER: ReadonlySet<CrowdKind> = new Set(['end', 'resume']);

/** Asks for a crowd; gives how many people it is. `counted`: where that was asked before. */
export async function askCrowd(db: Db, asked: Asked, counted?: number): Promise<number> {
  const { kind, by, journey, people } = asked;
  const total = counted ?? (await countCrowd(db, asked));
  if (!total && !WHOEVER.has(kind)) return 0;
  const at = await now(db);
  const opens = journey?.document.entry?.opens;
  const begins = kind === 'existing' ? Math.max(at, opens === undefined ? at : (parseInstant(opens) ?? at)) : at;
  await db.query(
    `insert into crowds (kind, journey_id, version, people, begins_at, total, asked_by) values ($1, $2, $3, $4, $5, $6, $7)`,
    [kind, journey?.id ?? null, journey?.version ?? null, people ?? null, ts(begins), total, by]
  );
  await notify(db, 'inbox');
  return total;
}

/** The next instant at which a crowd begins, UTC ms; `null` for none. */
export async function nextCrowd(db: Db): Promise<number | null> {
  const { rows } = await db.query<{ at: number | null }>({
    name: 'next-crowd',
    text: `select min(c.begins_at) as at from crowds c left join journeys j on j.id = c.journey_id
      where c.state = 'running' and coalesce(j.state, '') <> 'paused'`
  });
  return rows[0]?.at ?? null;
}

/** Takes one portion of a crowd whose time has come: they take turns, and what ends comes first. True where there was one to take, or to wait for. */
export async function workCrowd(pool: Pool, settings: SettingsBook, portion = PORTION): Promise<boolean> {
  const taken: { id: number | null } = { id: null };
  try {
    return await portionTaken(pool, settings, portion, taken);
  } catch (error) {
    if (taken.id === null || isNobodysFault(error) || isGoneMeanwhile(error)) throw error;
    // A selection that cannot be asked stops by itself: the others go on.
    const { rowCount } = await pool.query(
      `update crowds set state = 'stopped', problem = $2 where id = $1 and selection is not null`,
      [taken.id, (error as Error).message.slice(0, 300)]
    );
    if (!rowCount) throw error;
    return true;
  }
}

async function portionTaken(
  pool: Pool,
  settings: SettingsBook,
  portion: number,
  taken: { id: number | null }
): Promise<boolean> {
  return transaction(pool, async (db) => {
    const clock = await readClock(db);
    const { rows } = await db.query<Crowd & { document: Journey | null; key: string | null; open: boolean }>({
      name: 'take-crowd',
      text: `
        select c.id, c.kind, c.journey_id, c.version, c.people, c.begins_at, c.reached, c.asked, c.total, c.state, c.asked_by,
          c.selection, c.change, c.undoes, c.problem, v.document, j.key, (c.kind not in ('existing', 'enter') or j.state = 'live') as open
        from crowds c
        left join journeys j on j.id = c.journey_id
        left join versions v on v.journey_id = c.journey_id and v.number = c.version
        where c.state = 'running' and c.begins_at <= $1 and coalesce(j.state, '') <> 'paused'
        order by c.kind <> 'end', c.worked_at nulls first, c.id
        limit 1
        for update of c skip locked`,
      values: [ts(clock.now)]
    });
    const crowd = rows[0];
    if (!crowd) return false;
    taken.id = crowd.id;
    // A version may name what was called otherwise when it was made.
    if (crowd.document) crowd.document = renamed(crowd.document, (await settings.read(db)).workspace.names);
    if (!(await inboxHasRoom(db))) return false;
    // A batch that read the journey before it was ended may still let somebody in: they are ended as well.
    if (crowd.kind === 'end' && crowd.reached === 0) await afterBatches(db);
    // Nobody gets into a journey that has been closed meanwhile.
    // A look stands where it was asked for: what the clock brings meanwhile is still to come.
    const at = crowd.kind === 'look' ? crowd.begins_at : clock.now;
    const asked = !crowd.open
      ? { people: 0, last: null, ended: true }
      : crowd.kind === 'midnight'
        ? await askAtMidnight(db, crowd, at, settings, portion)
        : crowd.selection && crowd.change
          ? await askSelected(db, crowd, crowd.selection, crowd.change, at, settings, portion)
          : await ask(db, crowd, at, portion);
    await db.query({
      name: 'crowd-portion',
      text: `update crowds set worked_at = clock_timestamp(), reached = coalesce($2, reached), asked = asked + $3, state = $4,
        ended_at = case when $4 = 'done' then clock_timestamp() end where id = $1`,
      values: [crowd.id, asked.last, asked.people, asked.ended ? 'done' : 'running']
    });
    if (crowd.kind === 'end' && asked.ended && crowd.journey_id !== null) await dropWaiting(db, crowd.journey_id);
    if (asked.people) await notify(db, 'inbox');
    if (crowd.journey_id !== null) await changed(db, { journeys: [crowd.journey_id] });
    if (crowd.change) await changed(db, { people: 'many', crowds: true });
    return true;
  });
}

interface Portion {
  /** How many were asked. */
  people: number;
  /** The last person looked at. */
  last: number | null;
  ended: boolean;
}

async function ask(
  db: Db,
  crowd: Crowd & { document: Journey | null; key: string | null },
  at: number,
  portion: number
): Promise<Portion> {
  const [name, data] = requestOf(crowd);
  const values: unknown[] = [crowd.reached, portion, ts(at), name, JSON.stringify(data), `${crowd.id}`];
  const { rows } = await db.query<{ people: number; last: number | null }>(
    `with portion as (
       ${portionOf(whom(crowd, crowd.document, values), '$1', '$2')}
     ), asked as (
       insert into happenings (person_id, name, at, source, source_id, data)
       select id, $4, $3::timestamptz, 'crowd', $6, $5::jsonb from portion order by id
       on conflict do nothing
     )
     select count(*) as people, max(id) as last from portion`,
    values
  );
  const { people = 0, last = null } = rows[0] ?? {};
  return { people, last, ended: people < portion };
}

/** People erased in one portion: all that is kept of each is looked for. */
const ERASED_AT_ONCE = 50;

/** Of the next people in their order, those of a selection. */
async function askSelected(
  db: Db,
  crowd: Crowd,
  selection: Selection,
  change: Change,
  at: number,
  settings: SettingsBook,
  portion: number
): Promise<Portion> {
  const { workspace } = await settings.read(db);
  // What is for good is done to no more than were seen, whoever has come to be found since.
  const left = change.act === 'erase' ? crowd.total - crowd.asked : Infinity;
  if (left <= 0) return { people: 0, last: null, ended: true };
  const most = change.act === 'erase' ? Math.min(portion, ERASED_AT_ONCE, left) : portion;
  const { ids, last, ended } = await nextOf(db, selection, crowd.reached, most, at, workspace);
  if (change.act === 'erase') {
    await eraseAll(db, ids, crowd.asked_by);
    return { people: ids.length, last, ended };
  }
  const { name, data } = requestFor(change);
  await db.query(
    `insert into happenings (person_id, name, at, source, source_id, data)
     select id, $2, $3::timestamptz, 'crowd', $4, $5::jsonb from unnest($1::bigint[]) as t (id) order by id
     on conflict do nothing`,
    [ids, name, ts(at), `${crowd.id}`, data]
  );
  return { people: ids.length, last, ended };
}

/** People whom one statement holds against segments. */
const HELD_AGAINST = 10_000;

/**
 * Of the next people in their order, those whose segments may have changed by the clock: the others need no look. No more are
 * asked at once than of any crowd, however many change.
 */
async function askAtMidnight(
  db: Db,
  crowd: Crowd,
  at: number,
  settings: SettingsBook,
  portion: number
): Promise<Portion> {
  const { workspace } = await settings.read(db);
  const { sql, values } = await mayHaveChanged(db, workspace, crowd.begins_at, 6);
  const { rows } = await db.query<{ held: number; people: number; last: number | null }>(
    `with next as materialized (
       select * from people where id > $1 order by id limit $2
     ), changing as materialized (
       select id from next as p where ${sql} order by id limit $6
     ), asked as (
       insert into happenings (person_id, name, at, source, source_id, data)
       select id, 'look', $3::timestamptz, 'crowd', $5, $4::jsonb from changing order by id
       on conflict do nothing
     )
     select count(*) as people, (select count(*) from next) as held,
       case when count(*) = $6 then max(id) else (select max(id) from next) end as last
     from changing`,
    [
      crowd.reached,
      HELD_AGAINST,
      ts(at),
      requestRow('look', { segments: 'told' }).data,
      `${crowd.id}`,
      portion,
      ...values
    ]
  );
  const { held = 0, people = 0, last = null } = rows[0] ?? {};
  return { people, last, ended: held < HELD_AGAINST && people < portion };
}

/** What is put into the inbox for each. */
function requestOf({
  kind,
  key,
  journey_id: id,
  version
}: Crowd & { key: string | null }): [name: string, data: object] {
  if (kind === 'existing') return ['existing', { journey: key }];
  if (kind === 'enter') return ['enter', { journey: key, by: 'hand' }];
  if (kind === 'end') return ['end', { journey: key }];
  if (kind === 'move') return ['move', { journey: key, id, version }];
  if (kind === 'resume') return ['resumed', { journey: key }];
  return ['look', kind === 'midnight' ? { segments: 'told' } : {}];
}

/** Whether a version has to have everyone's dates worked out when it goes live. */
export const wantsLook = (document: Journey): boolean => isDated(compile(document));

/** Stops a crowd, or lets a stopped one go on behind the last portion; false where it was not in a state for it. */
export async function stopCrowd(db: Db, id: number, stop: boolean): Promise<boolean> {
  const { rowCount } = await db.query(`update crowds set state = $2, problem = null where id = $1 and state = $3`, [
    id,
    stop ? 'stopped' : 'running',
    stop ? 'running' : 'stopped'
  ]);
  if (rowCount && !stop) await notify(db, 'inbox');
  return rowCount === 1;
}

/** The crowds of a journey that are under way or were stopped. */
export async function crowdsOf(db: Db, journeyId: number): Promise<Crowd[]> {
  const { rows } = await db.query<Crowd>({
    name: 'crowds-of-journey',
    text: `select id, kind, journey_id, version, null as people, begins_at, reached, asked, total, state, asked_by, null as selection, change, undoes, problem
      from crowds where journey_id = $1 and state <> 'done' order by id`,
    values: [journeyId]
  });
  return rows;
}
