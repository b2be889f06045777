/**
 * Making two people one. Everything of the one who came later goes to the other, renumbered as though one had done it all;
 * the number that is gone stays known, for links and reports of what went out under it. One transaction: killed anywhere, they
 * are two or they are one. docs/decisions/0035-two-who-are-one.md
 */
import type { PoolClient } from 'pg';
import { joinStates } from '../../core/person/joined.ts';
import { restoreState, type KeptState } from '../../core/person/kept.ts';
import { PERSON_COLUMNS } from '../../core/person/columns.ts';
import type { PersonState } from '../../core/person/state.ts';
import type { Channel, ConsentState, FieldValue } from '../../core/person/values.ts';
import { readClock } from '../clock/clock.ts';
import { changed, notify } from '../db/notify.ts';
import { transaction, ts, type Db, type Pool } from '../db/pool.ts';
import { Counts } from '../engine/count.ts';
import { SettingsBook } from '../settings/settings.ts';
import { leaveDoubles } from './doubles.ts';
import { compare, type Comparison, type Which } from './compare.ts';

export interface MergeAsked {
  one: number;
  other: number;
  /** By fact, whose stays; what is not named stays as is usual. */
  choose: Record<string, Which>;
  /** {@link Comparison.seen} of what was looked at. */
  seen: string;
}

export type Merged = { ok: true; person: number } | { ok: false; problem: string };

/** A refusal that takes everything back. */
class Refused extends Error {}
/** Somebody has hold of what has to be moved; soon they have not. */
class NotNow extends Error {}

/** So long it is tried while a message to them is just going out. */
const TRY_FOR_MS = 8000;

export async function merge(pool: Pool, settings: SettingsBook, asked: MergeAsked, by: string): Promise<Merged> {
  for (const until = Date.now() + TRY_FOR_MS; ;) {
    try {
      return await transaction(pool, (db) => mergeIn(db, settings, asked, by));
    } catch (error) {
      if (error instanceof Refused) return { ok: false, problem: error.message };
      if (!(error instanceof NotNow) && !isHeld(error)) throw error;
      if (Date.now() > until)
        return {
          ok: false,
          problem: 'Something for them is just going out. Nothing was changed: try again in a moment.'
        };
      await new Promise((resolve) => setTimeout(resolve, 250));
    }
  }
}

/** Locked by somebody else (55P03), or two waited for each other (40P01). */
const isHeld = (error: unknown): boolean => ['55P03', '40P01'].includes(String((error as { code?: unknown }).code));

async function mergeIn(db: PoolClient, settings: SettingsBook, asked: MergeAsked, by: string): Promise<Merged> {
  await db.query(`set local lock_timeout = '2s'`);
  // Whoever works on one of them, or stores something of them, comes before or after.
  const both = [asked.one, asked.other];
  await db.query('select from people where id = any($1::bigint[]) order by id for update', [both]);
  const found = await compare(db, asked.one, asked.other);
  if (!found) throw new Refused('One of them is not there any more.');
  if (found.seen !== asked.seen)
    throw new Refused('They have changed since you looked. Nothing was done: look again at what would become of them.');
  const aside = [found.a, found.b].find((s) => s.aside);
  if (aside)
    throw new Refused(`The work of ${aside.name} failed and is set aside: that has to go on first, from their page.`);
  const [kept, gone] = [found.a.id, found.b.id];
  await holdOutgoing(db, gone);

  const { now, zone } = await readClock(db);
  const at = ts(now) ?? '';
  const states = await joinedState(db, settings, found, now);
  const counts = new Counts(zone);
  if (found.a.walking.length && found.b.walking.length) counts.flowNow('walkers', -1);
  for (const tag of found.b.tags) if (found.a.tags.includes(tag)) counts.label(now, 'tag', tag, false);
  for (const list of found.b.lists) if (found.a.lists.includes(list)) counts.label(now, 'list', list, false);
  await renumber(db, kept, gone, states.walks);
  await moveRows(db, kept, gone, states.walks);
  const segments = await db.query<{ segment: string }>(
    `select g.segment from person_segments g join person_segments k on k.segment = g.segment and k.person_id = $1 where g.person_id = $2`,
    [kept, gone]
  );
  for (const { segment } of segments.rows) counts.label(now, 'segment', segment, false);
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
  await keepState(db, kept, gone, states, at);
  const mains = await joinFacts(db, found, asked.choose, at, by);
  await joinConsents(db, found, mains, at);
  await db.query('insert into merged (gone, person_id, walks, at, by) values ($1, $2, $3, $4, $5)', [
    gone,
    kept,
    states.walks,
    at,
    by
  ]);
  await endDoubleWalks(db, found, kept, states.walks, at, by);
  // What a segment says of both together may be otherwise than of either.
  await db.query(
    `insert into happenings (person_id, name, at, source, source_id, data) values ($1, 'look', $2, $3, $4, '{"midnight": true}')`,
    [kept, at, by, `merged ${gone}`]
  );
  await counts.save(db);
  await db.query(`insert into acts (at, by, what, detail) values ($1, $2, 'merged', $3)`, [
    at,
    by,
    JSON.stringify({ person: kept, gone })
  ]);
  await notify(db, 'inbox');
  await changed(db, { people: [kept, gone], crowds: true });
  return { ok: true, person: kept };
}

/** Holds what has yet to go out to somebody, so that no sender takes it up meanwhile; refused while one has. */
async function holdOutgoing(db: Db, person: number): Promise<void> {
  for (const table of ['messages', 'errands', 'answers']) {
    const { rows } = await db.query<{ state: string }>(
      `select state from ${table} where person_id = $1 and state in ('queued', 'sending') for update`,
      [person]
    );
    if (rows.some((r) => r.state === 'sending')) throw new NotNow();
  }
}

interface Joined {
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
async function joinedState(db: Db, settings: SettingsBook, { a, b }: Comparison, now: number): Promise<Joined> {
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
  if (!first || !second) throw new Refused('One of them is not there any more.');
  const walks = Math.max((first.state?.nextWalk ?? 1) - 1, first.last_walk);
  const { workspace } = await settings.read(db);
  const joined = joinStates(
    workspace,
    [stateOf(first), { walks: 0, place: placeOf(places.filter((p) => p.person === a.id)) }],
    [stateOf(second), { walks, place: placeOf(places.filter((p) => p.person === b.id)) }],
    now,
    Math.max(0, ...places.map((p) => p.place)) + 1
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
async function renumber(db: Db, kept: number, gone: number, walks: number): Promise<void> {
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

async function moveRows(db: Db, kept: number, gone: number, walks: number): Promise<void> {
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

async function keepState(
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

/** Facts as they were chosen; each that changes is on record. Gives whose address is written to, by channel. */
async function joinFacts(
  db: Db,
  { a, b, facts }: Comparison,
  choose: Record<string, Which>,
  at: string,
  by: string
): Promise<Record<Channel, Which>> {
  const whose = (name: string): Which => {
    const fact = facts.find((f) => f.name === name);
    const wanted = choose[name] ?? fact?.usual ?? 'a';
    return fact?.[wanted] === null ? fact.usual : wanted;
  };
  const taken = facts.filter((f) => whose(f.name) === 'b' && JSON.stringify(f.a) !== JSON.stringify(f.b));
  const others: [string, Channel][] = [];
  for (const [name, channel] of [
    ['email', 'email'],
    ['phone', 'sms']
  ] as const) {
    const other = (whose(name) === 'a' ? b : a).fields[name];
    const main = (whose(name) === 'a' ? a : b).fields[name];
    if (typeof other === 'string' && other !== main) others.push([other.toLowerCase(), channel]);
  }
  await db.query(
    `insert into happenings (person_id, name, at, source, data, record, handled_at) values ($1, 'merged', $2, $3, $4, 0, $2)`,
    [
      a.id,
      at,
      by,
      JSON.stringify({
        by,
        gone: b.id,
        name: b.name,
        // What does not stay is still known.
        was: Object.fromEntries(
          facts.flatMap((f) => {
            const lost = whose(f.name) === 'a' ? f.b : f.a;
            return lost === null || JSON.stringify(f.a) === JSON.stringify(f.b) ? [] : [[f.name, lost]];
          })
        )
      })
    ]
  );
  for (const f of taken)
    await db.query(
      `insert into happenings (person_id, name, at, source, data, record, handled_at) values ($1, 'field_changed', $2, $3, $4, 0, $2)`,
      [a.id, at, by, JSON.stringify({ field: f.name, from: f.a, to: f.b, by })]
    );
  // An address is nobody else's: whoever has it goes first.
  await db.query('delete from people where id = $1', [b.id]);
  const own = taken.filter((f) => (PERSON_COLUMNS as readonly string[]).includes(f.name));
  const rest = Object.fromEntries(taken.filter((f) => !own.includes(f)).map((f) => [f.name, f.b]));
  await db.query(
    `update people set ${own.map((f, i) => `${f.name} = $${i + 5}, `).join('')} fields = fields || $2, updated_at = $3,
       created_at = least(created_at, $4) where id = $1`,
    [a.id, JSON.stringify(rest), at, ts(b.since), ...own.map((f) => f.b)]
  );
  if (others.length)
    await db.query(
      `insert into other_addresses (address, person_id, channel, since)
       select address, $1::bigint, channel, $4::timestamptz from unnest($2::text[], $3::text[]) as t (address, channel)
       on conflict (address) do update set person_id = excluded.person_id`,
      [a.id, others.map(([address]) => address), others.map(([, channel]) => channel), at]
    );
  return { email: whose('email'), sms: whose('phone') };
}

async function joinConsents(
  db: Db,
  { a, b, consents }: Comparison,
  mains: Record<Channel, Which>,
  at: string
): Promise<void> {
  for (const { channel, a: before, becomes } of consents) {
    const state: ConsentState | null = becomes[mains[channel]];
    if (state === before) continue;
    if (state === null) {
      await db.query('delete from consents where person_id = $1 and channel = $2', [a.id, channel]);
      continue;
    }
    const from = b.consents[channel];
    await db.query(
      `insert into consents (person_id, channel, state, at, source) values ($1, $2, $3, $4, $5)
       on conflict (person_id, channel) do update set state = excluded.state, at = excluded.at, source = excluded.source, wording = null`,
      [
        a.id,
        channel,
        state,
        from?.state === state ? ts(from.at) : at,
        `${from?.state === state ? from.source : 'the stricter of two'} (made one with ${b.name})`.slice(0, 300)
      ]
    );
  }
}

/** Nobody walks twice where one walks once: the later walk ends, and what of it has not gone out does not. */
async function endDoubleWalks(
  db: Db,
  { b, ends }: Comparison,
  kept: number,
  walks: number,
  at: string,
  by: string
): Promise<void> {
  for (const end of ends) {
    const walk = end.walk + (end.whose === 'b' ? walks : 0);
    await db.query(
      `insert into happenings (person_id, name, at, source, source_id, data) values ($1, 'end', $2, $3, $4, $5)`,
      [kept, at, by, `merged ${b.id}, walk ${walk}`, JSON.stringify({ journey: end.key, walk })]
    );
    await db.query(
      `update messages set state = 'failed', error = 'not sent: they are in this journey already, under another address'
       where person_id = $1 and walk_id = $2 and state = 'queued' and attempts = 0`,
      [kept, walk]
    );
  }
}
