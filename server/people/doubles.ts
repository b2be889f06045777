/**
 * Who may be in here twice: same phone number written in two ways, same name and town, addresses that differ in case, dots or
 * a part behind a plus. Found by going through everybody once, in portions: what each is alike in is written down by its hash,
 * in the order of an index, and whatever stands there twice is a group. docs/decisions/0035-two-who-are-one.md
 */
import { nameSql } from '../db/person-name.ts';
import { now } from '../workspace/clock.ts';
import { changed, notify } from '../db/notify.ts';
import { longTransaction, transaction, ts, type Db, type Pool } from '../db/pool.ts';

/** What people can be alike in. */
export const ALIKE = ['email', 'phone', 'name'] as const;
export type Alike = (typeof ALIKE)[number];

/** People of one group that are shown; a group of more is rather an office's number than a person. */
export const MOST_SHOWN = 20;
/** People read, and keys compared, in one portion. */
const PORTION = 10_000;

export interface Search {
  state: 'reading' | 'comparing' | 'done' | 'stopped';
  /** The field that has to be alike beside the name. */
  field: string;
  total: number;
  looked: number;
  by: string;
  begun: number;
  ended: number | null;
}

export async function latestSearch(db: Db): Promise<Search | null> {
  const { rows } = await db.query<Search>(
    'select state, field, total, looked, by, begun_at as begun, ended_at as ended from doubles_search'
  );
  return rows[0] ?? null;
}

/** Asks for a search over everybody; one that runs goes on. */
export async function askSearch(db: Db, field: string, by: string): Promise<void> {
  await db.query(
    `insert into doubles_search (state, field, total, by, begun_at)
     select 'reading', $1, (select count(*) from people), $2, $3
     on conflict (one) do update set state = 'reading', field = excluded.field, reached = 0, reached_why = '', total = excluded.total,
       looked = 0, by = excluded.by, begun_at = excluded.begun_at, ended_at = null
     where doubles_search.state in ('done', 'stopped')`,
    [field, by, ts(await now(db))]
  );
  await notify(db, 'inbox');
  await changed(db, { crowds: true });
}

export async function stopSearch(db: Db): Promise<void> {
  await db.query(`update doubles_search set state = 'stopped' where state in ('reading', 'comparing')`);
  await changed(db, { crowds: true });
}

/** Takes the next portion of a search; false where none is under way. */
export async function workDoubles(pool: Pool, portion = PORTION): Promise<boolean> {
  return longTransaction(pool, async (db) => {
    const { rows } = await db.query<{
      state: Search['state'];
      field: string;
      reached: string;
      reached_why: string;
      looked: number;
    }>({
      name: 'take-doubles',
      text: `select state, field, reached::text as reached, reached_why, looked from doubles_search
        where state in ('reading', 'comparing') for update skip locked`
    });
    const [search] = rows;
    if (!search) return false;
    await (search.state === 'reading' ? read(db, search, portion) : compareKeys(db, search, portion));
    await changed(db, { crowds: true });
    return true;
  });
}

/** What someone is alike in, as rows of `why` and `text` over `people p`; `$field` is the field beside the name. */
const keysOf = (field: string): string => `
  select 'email' as why, replace(split_part(split_part(lower(p.email), '@', 1), '+', 1), '.', '') || '@' || split_part(lower(p.email), '@', 2) as text
  where p.email is not null
  union all
  -- The end of a number is the same with and without its country.
  select 'phone', right(regexp_replace(p.phone, '\\D', '', 'g'), 9) where length(regexp_replace(p.phone, '\\D', '', 'g')) >= 9
  union all
  select 'name', lower(trim(p.first_name)) || ' ' || lower(trim(p.last_name)) || chr(10) || lower(trim(p.fields ->> ${field}))
  where trim(p.first_name) <> '' and trim(p.last_name) <> '' and trim(p.fields ->> ${field}) <> ''`;

async function read(
  db: Db,
  { field, reached, looked }: { field: string; reached: string; looked: number },
  portion: number
): Promise<void> {
  if (looked === 0) await db.query('truncate doubles_keys');
  const { rows } = await db.query<{ last: number | null; n: number }>({
    name: 'read-doubles',
    text: `
      with part as materialized (select * from people where id > $1 order by id limit $2), keys as (
        insert into doubles_keys (why, key, person_id)
        select k.why, hashtextextended(k.text, 0), p.id from part p cross join lateral (${keysOf('$3')}) as k
        on conflict do nothing
      )
      select max(id) as last, count(*) as n from part`,
    values: [reached, portion, field]
  });
  const { last = null, n = 0 } = rows[0] ?? {};
  // From here on groups come anew.
  if (last === null) await db.query('delete from doubles');
  await db.query(
    last === null
      ? `update doubles_search set state = 'comparing', reached = -9223372036854775808, reached_why = ''`
      : `update doubles_search set reached = $1, looked = looked + $2`,
    last === null ? [] : [last, n]
  );
}

async function compareKeys(
  db: Db,
  { reached, reached_why: why }: { reached: string; reached_why: string },
  portion: number
): Promise<void> {
  // A portion ends behind a whole group: what it leaves of its last key would be a group too small.
  const { rows } = await db.query<{ why: string | null; key: string | null }>(
    `select k.why, k.key::text as key from (select why, key from doubles_keys where (why, key) > ($1, $2::bigint) order by why, key limit $3) as k
     order by k.why desc, k.key desc limit 1`,
    [why, reached, portion]
  );
  const [last] = rows;
  if (!last) {
    await db.query(`update doubles_search set state = 'done', looked = total, ended_at = $1`, [ts(await now(db))]);
    await db.query('truncate doubles_keys');
    return;
  }
  await db.query(
    `insert into doubles (why, key, people, n)
     select why, key, people, n from (
       select k.why, k.key, k.n, array(
         select d.person_id from doubles_keys d where d.why = k.why and d.key = k.key order by d.person_id limit ${MOST_SHOWN}) as people
       from (
         select why, key, count(*) as n from doubles_keys
         where (why, key) > ($1, $2::bigint) and (why, key) <= ($3, $4::bigint) group by why, key having count(*) > 1
       ) as k
     ) as g where n > ${MOST_SHOWN} or ${SOME_ALIKE}`,
    [why, reached, last.why, last.key]
  );
  await db.query('update doubles_search set reached_why = $1, reached = $2::bigint', [last.why, last.key]);
}

/** Of a group `people`, whether there are two of whom nobody said that they are different. */
const SOME_ALIKE = `exists (
  select from unnest(people) as x cross join unnest(people) as y
  where x < y and not exists (select from different_people d where d.low = x and d.high = y))`;

export interface DoublePerson {
  id: number;
  name: string;
  email: string | null;
  phone: string | null;
  place: string | null;
}
export interface DoubleGroup {
  why: Alike;
  /** As text: it is wider than a number. */
  key: string;
  n: number;
  people: DoublePerson[];
}

/** A page of groups behind a place, and how many groups there are of each kind (counted up to 10,000). */
export async function groupsOf(
  db: Db,
  { why, after, field }: { why: Alike | null; after: { why: string; key: string } | null; field: string },
  most = 50
): Promise<{ groups: DoubleGroup[]; counts: Record<Alike, number> }> {
  const { rows } = await db.query<DoubleGroup>(
    `select g.why, g.key::text as key, g.n, coalesce((
       select jsonb_agg(jsonb_build_object('id', p.id, 'name', ${nameSql()},
         'email', p.email, 'phone', p.phone, 'place', p.fields ->> $5) order by p.id)
       from people p where p.id = any(g.people)), '[]') as people
     from doubles g
     where ($1::text is null or g.why = $1) and ($2::text is null or (g.why, g.key) > ($2, $3::bigint))
     order by g.why, g.key limit $4`,
    [why, after?.why ?? null, after?.key ?? 0, most, field]
  );
  const { rows: counts } = await db.query<{ why: Alike; n: number }>(
    `select w.why, (select count(*) from (select from doubles d where d.why = w.why limit 10000) as few) as n
     from unnest($1::text[]) as w (why)`,
    [[...ALIKE]]
  );
  return {
    groups: rows,
    counts: Object.fromEntries(counts.map((c) => [c.why, c.n])) as Record<Alike, number>
  };
}

/** Somebody says that these are different people; groups in which nobody is left to compare go. */
export async function different(pool: Pool, people: number[], by: string): Promise<void> {
  await transaction(pool, async (db) => {
    await db.query(
      `insert into different_people (low, high, by, at)
       select x.id, y.id, $2, $3::timestamptz from people x join people y on x.id < y.id
       where x.id = any($1::bigint[]) and y.id = any($1::bigint[]) on conflict do nothing`,
      [people, by, ts(await now(db))]
    );
    await db.query(`delete from doubles where people && $1::bigint[] and n <= ${MOST_SHOWN} and not ${SOME_ALIKE}`, [
      people
    ]);
  });
  await changed(pool, { crowds: true });
}

/** Takes that back. The groups come again with the next search; the pair itself can be looked at before. */
export async function notDifferent(db: Db, one: number, other: number): Promise<void> {
  await db.query('delete from different_people where low = least($1::bigint, $2) and high = greatest($1::bigint, $2)', [
    one,
    other
  ]);
}

/** Somebody is here no more: groups are without them. */
export async function leaveDoubles(db: Db, person: number): Promise<void> {
  await db.query(
    `with left_ones as (
       update doubles set people = array_remove(people, $1::bigint), n = n - 1 where people @> array[$1::bigint] and n > 2
     ) delete from doubles where people @> array[$1::bigint] and n <= 2`,
    [person]
  );
}

/** Whether somebody said of two that they are different people. */
export async function areDifferent(db: Db, one: number, other: number): Promise<{ by: string; at: number } | null> {
  const { rows } = await db.query<{ by: string; at: number }>(
    'select by, at from different_people where low = least($1::bigint, $2) and high = greatest($1::bigint, $2)',
    [one, other]
  );
  return rows[0] ?? null;
}

/** Who may be the same as this person, by the latest search. */
export async function maybeSame(db: Db, id: number): Promise<number[]> {
  const { rows } = await db.query<{ id: number }>(
    `select distinct o.id from doubles g cross join unnest(g.people) as o (id)
     where g.people @> array[$1::bigint] and g.n <= ${MOST_SHOWN} and o.id <> $1
       and exists (select from people p where p.id = o.id)
       and not exists (select from different_people d where d.low = least(o.id, $1) and d.high = greatest(o.id, $1))
     order by o.id limit 5`,
    [id]
  );
  return rows.map((r) => r.id);
}
