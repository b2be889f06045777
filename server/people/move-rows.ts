/**
 * What somebody has in tables, going over to somebody else as though one had done it all: records of both in one order by the
 * instants at which they were worked off, walks of the one who goes numbered behind the other's. docs/decisions/0035
 */
import { joinStates } from '../../core/person/joined.ts';
import { restoreState, type KeptState } from '../../core/person/kept.ts';
import type { PersonState } from '../../core/person/state.ts';
import type { FieldValue } from '../../core/person/values.ts';
import { ts, type Db } from '../db/pool.ts';
import type { SettingsBook } from '../workspace/settings.ts';
import type { Comparison } from './compare.ts';
import { leaveDoubles } from './doubles.ts';

export interface Joined {
  state: KeptState;
  scores: Map<string, number>;
  worked: number | null;
  /** What is added to the numbers of the later one's walks. */
  walks: number;
}

interface Row {
  id: number;
  fields: Record<string, FieldValue>;
  scores: Record<string, number>;
  state: KeptState | null;
  worked_at: number | null;
  last_walk: number;
}

/** Puts the records of both in one order, and joins what is kept of either. */
export async function joinedState(db: Db, settings: SettingsBook, { a, b }: Comparison, now: number): Promise<Joined> {
  await db.query(
    `create temp table merging_places on commit drop as
     select person, record, row_number() over (order by at, person, record) as place from (
       -- What came in late was recorded late: a person's own order stays as it is.
       select person, record, max(at) over (partition by person order by record) as at from (
         select person, record, min(at) as at from (
           select person_id as person, record, coalesce(handled_at, at) as at from happenings where person_id = any($1::bigint[])
           union all select person_id, record, created_at from messages where person_id = any($1::bigint[])
           union all select person_id, record, at from trail where person_id = any($1::bigint[])
           union all select person_id, record, at from errands where person_id = any($1::bigint[])
           union all select person_id, record, created_at from tasks where person_id = any($1::bigint[])
         ) as all_records where record > 0 group by person, record
       ) as each_once
     ) as in_order`,
    [[a.id, b.id]]
  );
  const { rows: places } = await db.query<{ person: number; record: number; place: number }>(
    'select person, record, place from merging_places order by person, record'
  );
  const { rows } = await db.query<Row>(
    `select p.id, jsonb_strip_nulls(jsonb_build_object('zone', p.zone)) || p.fields as fields, g.state, g.worked_at,
       (select coalesce(jsonb_object_agg(score, points), '{}') from scores s where s.person_id = p.id) as scores,
       (select coalesce(max(id), 0) from walks w where w.person_id = p.id) as last_walk
     from people p left join agenda g on g.person_id = p.id where p.id = any($1::bigint[]) order by p.id`,
    [[a.id, b.id]]
  );
  const [first, second] = rows;
  if (!first || !second) throw new Error('somebody who was held is not there');
  const walks = Math.max((first.state?.nextWalk ?? 1) - 1, first.last_walk);
  const { workspace } = await settings.read(db);
  const joined = joinStates(
    workspace,
    [stateOf(first), { walks: 0, place: placeOf(places.filter((p) => p.person === a.id)) }],
    [stateOf(second), { walks, place: placeOf(places.filter((p) => p.person === b.id)) }],
    now,
    // Places are numbered through.
    places.length + 1
  );
  await moveWalksData(db, a.id, 0, placeOf(places.filter((p) => p.person === a.id)));
  await moveWalksData(db, b.id, walks, placeOf(places.filter((p) => p.person === b.id)));
  const worked = [first.worked_at, second.worked_at].filter((w) => w !== null);
  return { ...joined, worked: worked.length ? Math.max(...worked) : null, walks };
}

function stateOf({ id, state, fields, scores }: Row): PersonState {
  const person = restoreState(String(id), state ?? {});
  for (const [name, value] of Object.entries(fields)) person.fields.set(name, value);
  for (const [name, points] of Object.entries(scores)) person.scores.set(name, points);
  return person;
}

/** The new place of a record; of one that is not there any more, that of the one before. */
function placeOf(places: readonly { record: number; place: number }[]): (record: number) => number {
  return (record) => {
    let [low, high] = [0, places.length];
    while (low < high) {
      const middle = (low + high) >> 1;
      if ((places[middle]?.record ?? 0) <= record) low = middle + 1;
      else high = middle;
    }
    return places[low - 1]?.place ?? 0;
  };
}

interface WalkData {
  since?: number | null;
  used?: number[];
  entry?: { record?: number; cause?: number; about?: { walk: number } };
}

/** Numbers of records and walks inside what is kept of walks. */
async function moveWalksData(db: Db, person: number, walks: number, place: (record: number) => number): Promise<void> {
  const { rows } = await db.query<{ id: number; more: WalkData }>(
    `select id, more from walks where person_id = $1 and (more ? 'since' or more ? 'used' or more ? 'entry')`,
    [person]
  );
  const moved = rows.map(({ id, more }) => {
    const { entry } = more;
    const next = { ...more };
    if (typeof more.since === 'number') next.since = place(more.since);
    if (more.used) next.used = more.used.map(place);
    if (entry) {
      next.entry = { ...entry };
      if (entry.record !== undefined) next.entry.record = place(entry.record);
      if (entry.cause !== undefined) next.entry.cause = entry.cause + walks;
      if (entry.about?.walk) next.entry.about = { ...entry.about, walk: entry.about.walk + walks };
    }
    return { id, more: JSON.stringify(next) };
  });
  if (moved.length)
    await db.query(
      `update walks w set more = t.more from unnest($2::integer[], $3::jsonb[]) as t (id, more) where w.person_id = $1 and w.id = t.id`,
      [person, moved.map((m) => m.id), moved.map((m) => m.more)]
    );
}

/** Records of both get the places they have together, and walks of the later one the numbers behind the other's. */
export async function renumber(db: Db, kept: number, gone: number, walks: number): Promise<void> {
  for (const table of ['happenings', 'messages', 'trail', 'errands', 'tasks'])
    await db.query(
      `update ${table} r set record = p.place from merging_places p
       where r.person_id = any($1::bigint[]) and p.person = r.person_id and p.record = r.record and p.place <> r.record`,
      [[kept, gone]]
    );
  if (!walks) return;
  // Requests that wait name a walk, too.
  await db.query(
    `update happenings set data = jsonb_set(data, '{walk}', to_jsonb((data ->> 'walk')::integer + $2))
     where person_id = $1 and handled_at is null and name in ('end', 'hurry') and jsonb_typeof(data -> 'walk') = 'number'`,
    [gone, walks]
  );
  await db.query(
    `update happenings set data = jsonb_set(data, '{cause}', to_jsonb((data ->> 'cause')::integer + $2))
     where person_id = $1 and jsonb_typeof(data -> 'cause') = 'number'`,
    [gone, walks]
  );
}

/** Tables whose rows go over as they are, each with what its rows say of walks. */
const TABLES: readonly (readonly [table: string, walk: string | null, knownAs?: true])[] = [
  ['walks', 'id'],
  ['trail', 'walk_id'],
  ['happenings', 'walk_id'],
  ['messages', 'walk_id', true],
  ['errands', 'walk_id', true],
  ['answers', null, true],
  ['tasks', 'walk_id'],
  ['draws', 'walk_id'],
  ['consent_records', null],
  ['person_notes', null],
  ['early_fetches', null]
];

export async function moveRows(db: Db, kept: number, gone: number, walks: number): Promise<void> {
  // The same id of the same source told of both is told of one already: it stays, under an id of its own.
  await db.query(
    `update happenings g set source_id = g.source_id || ' of person ' || $2
     where g.person_id = $2 and g.source_id is not null and exists (
       select from happenings k where k.person_id = $1 and k.source = g.source and k.source_id = g.source_id)`,
    [kept, gone]
  );
  for (const [table, walk, knownAs] of TABLES)
    await db.query(
      `update ${table} set person_id = $1 ${walk ? `, ${walk} = ${walk} + $3` : ''}
         ${knownAs ? ', known_as = coalesce(known_as, person_id)' : ''}
       where person_id = $2 ${walk ? '' : 'and $3::integer is not null'}`,
      [kept, gone, walks]
    );
  // What an import brought stays with them; taken back, it says so.
  await db.query(
    `insert into import_stays (import_id, person_id, what)
     select import_id, $1::bigint, 'was made one with another person since' from import_changes where person_id = $2
     union select import_id, $1::bigint, 'was made one with another person since' from people where id = $2 and import_id is not null
       and exists (select from imports i where i.id = people.import_id)
     on conflict do nothing`,
    [kept, gone]
  );
  await db.query('update import_rows set person_id = $1 where person_id = $2', [kept, gone]);
  await db.query('update other_addresses set person_id = $1 where person_id = $2', [kept, gone]);
  await db.query('update merged set person_id = $1, walks = walks + $3 where person_id = $2', [kept, gone, walks]);
  await db.query(
    `insert into different_people (low, high, by, at)
     select least($1::bigint, x.id), greatest($1::bigint, x.id), x.by, x.at
     from (select case when low = $2 then high else low end as id, by, at from different_people where low = $2 or high = $2) as x
     where x.id <> $1 on conflict do nothing`,
    [kept, gone]
  );
  await leaveDoubles(db, gone);
}

export async function keepState(
  db: Db,
  kept: number,
  gone: number,
  { state, scores, worked }: Joined,
  at: string
): Promise<void> {
  await db.query(
    `insert into agenda (person_id, next_at, worked_at, state, walking, did, did_at)
     select $1::bigint, $2::timestamptz, $3::timestamptz, $4::jsonb,
       (select count(*) from walks where person_id = $1 and state = 'walking'), d.did, d.did_at
     from (select 1) as one
     left join (select did, did_at from agenda where person_id in ($1, $5) and did_at is not null order by did_at desc limit 1) as d on true
     on conflict (person_id) do update
     -- Whatever comes next by the clock is found by the worker that looks now.
     set next_at = excluded.next_at, worked_at = excluded.worked_at, state = excluded.state, walking = excluded.walking,
       did = excluded.did, did_at = excluded.did_at`,
    [kept, at, worked === null ? at : ts(worked), JSON.stringify(state), gone]
  );
  await db.query(
    `insert into scores (person_id, score, points, at) select $1::bigint, score, points, $4::timestamptz from unnest($2::text[], $3::double precision[]) as t (score, points)
     on conflict (person_id, score) do update set points = excluded.points, at = excluded.at`,
    [kept, [...scores.keys()], [...scores.values()], at]
  );
}

/** Tags, lists and segments of both are theirs, since the earlier; gives the segments that both were in. */
export async function moveLabels(db: Db, kept: number, gone: number): Promise<string[]> {
  const segments = await db.query<{ segment: string }>(
    `select g.segment from person_segments g join person_segments k on k.segment = g.segment and k.person_id = $1 where g.person_id = $2`,
    [kept, gone]
  );
  for (const [table, name] of [
    ['person_tags', 'tag'],
    ['person_lists', 'list'],
    ['person_segments', 'segment']
  ] as const)
    await db.query(
      `insert into ${table} (person_id, ${name}, since) select $1::bigint, ${name}, since from ${table} where person_id = $2
       on conflict (person_id, ${name}) do update set since = least(${table}.since, excluded.since)`,
      [kept, gone]
    );
  // Stays that are over; of each segment the latest, as ever.
  await db.query(
    `insert into segment_past (person_id, segment, since, left_at)
     select $1::bigint, segment, since, left_at from segment_past where person_id = $2
     on conflict (person_id, segment) do update set since = excluded.since, left_at = excluded.left_at
     where segment_past.left_at < excluded.left_at`,
    [kept, gone]
  );
  return segments.rows.map((r) => r.segment);
}
