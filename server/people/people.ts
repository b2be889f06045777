/** Finding people, and one person's page. */
import { nameSql } from '../db/person-name.ts';
import type { Condition } from '../../core/condition/schema.ts';
import { conditionSql, Parameters, type AskedAt } from '../../core/condition/sql.ts';
import type { ConsentState, FieldValue } from '../../core/person/values.ts';
import type { Db } from '../db/pool.ts';
import { copiesOf } from '../mail/copies.ts';
import { lettersSql } from '../selection/letters.ts';
import type { Shown } from './shown.ts';

export interface PersonLine {
  id: number;
  email: string | null;
  phone: string | null;
  name: string;
  /** The field and the score that tables of people show. */
  field: string | number | boolean | string[] | null;
  tags: string[];
  consentEmail: ConsentState | null;
  consentSms: ConsentState | null;
  score: number | null;
  walking: number;
  lastDid: string | null;
  lastDidAt: number | null;
}

export const SORTS = ['name', 'email', 'score', 'last', 'walking'] as const;
export type Sort = (typeof SORTS)[number];

export interface PeopleSearch {
  text: string;
  tag: string | null;
  /** What has to be true of them besides, and when and among what that is asked. */
  where?: Condition | null;
  asked?: AskedAt;
  sort: Sort;
  descending: boolean;
  /** From where on: behind that place, or before it; absent: from the first. */
  place?: Place | null;
  /** Which field and score are shown. */
  shown: Shown;
}

export const PER_PAGE = 50;

/** A place in a list: the value that it is ordered by (`null`: among those without one) and the person. */
export interface Place {
  way: 'after' | 'before';
  value: string | null;
  id: number;
}

/**
 * Where the order of a list comes from: an index that has everyone with a value in order, by value and id, read from either
 * end, and how to tell those without one, who come last either way. So a page costs what it shows, wherever it is.
 */
interface Order {
  from: string;
  value: string;
  /** The type of the value. */
  type: string;
  id: string;
  has: string;
  /** Of `people p` alone. */
  without: string;
}

/** `$score` stands for the parameter that holds the name of the score shown. */
const SCORE = '$score';

const agendaOrder = (column: string, type: string, has: string): Order => ({
  from: 'agenda s join people p on p.id = s.person_id',
  value: `s.${column}`,
  type,
  id: 's.person_id',
  has: `s.${has}`,
  // Asked of each in the order of ids, not of all at once: the page is full soon.
  without: `(select true from agenda s where s.person_id = p.id and s.${has} limit 1) is null`
});
const columnOrder = (column: string): Order => ({
  from: 'people p',
  value: `lower(p.${column})`,
  type: 'text',
  id: 'p.id',
  has: `p.${column} is not null`,
  without: `p.${column} is null`
});

const ORDER: Record<Sort, Order> = {
  name: columnOrder('last_name'),
  email: columnOrder('email'),
  score: {
    from: `scores s join people p on p.id = s.person_id and s.score = ${SCORE}`,
    value: 's.points',
    type: 'double precision',
    id: 's.person_id',
    has: 'true',
    without: `(select true from scores s where s.person_id = p.id and s.score = ${SCORE} limit 1) is null`
  },
  last: agendaOrder('did_at', 'timestamptz', 'did_at is not null'),
  walking: agendaOrder('walking', 'integer', 'walking > 0')
};

function filterSql(search: Pick<PeopleSearch, 'text' | 'tag' | 'where' | 'asked'>, parameters: Parameters): string {
  const parts: string[] = [];
  if (search.tag)
    parts.push(`exists (select from person_tags t where t.person_id = p.id and t.tag = ${parameters.add(search.tag)})`);
  parts.push(...lettersSql(search.text, parameters));
  if (search.where && search.asked) parts.push(`(${conditionSql(search.where, 'over', search.asked, parameters).sql})`);
  return parts.length ? parts.join(' and ') : 'true';
}

/** Beyond this a search is not counted to its end: "more than". */
const MOST_COUNTED = 10_000;

export interface PeopleFound {
  people: PersonLine[];
  total: number;
  /** The total is at least that, and was not counted further. */
  more: boolean;
  /** Where the page before and the one behind this begin; `null` where there is none. */
  before: Place | null;
  after: Place | null;
}

export async function searchPeople(db: Db, search: PeopleSearch): Promise<PeopleFound> {
  // One after the other: `db` may be one connection.
  const { total, more } = await countPeople(db, search);
  const { found, before, after } = await pageOf(db, search);
  const ids = found.map((f) => f.id);
  const { rows } = await db.query<PersonLine>({
    name: 'people-lines',
    text: `
      select p.id, p.email, p.phone, ${nameSql()} as name,
        p.fields -> $2 as field,
        array(select tag from person_tags t where t.person_id = p.id order by tag) as tags,
        (select state from consents c where c.person_id = p.id and c.channel = 'email') as "consentEmail",
        (select state from consents c where c.person_id = p.id and c.channel = 'sms') as "consentSms",
        (select points from scores s where s.person_id = p.id and s.score = $3) as score,
        coalesce(a.walking, 0) as walking, a.did as "lastDid", a.did_at as "lastDidAt"
      from unnest($1::bigint[]) with ordinality as page (id, place)
      join people p on p.id = page.id
      left join agenda a on a.person_id = p.id
      order by page.place`,
    values: [ids, search.shown.field ?? '', search.shown.score ?? '']
  });
  return { people: rows, total, more, before, after };
}

async function countPeople(db: Db, search: PeopleSearch): Promise<{ total: number; more: boolean }> {
  const parameters = new Parameters();
  const where = filterSql(search, parameters);
  const { rows } = await db.query<{ n: number; about: number }>(
    `select count(*) as n, (select reltuples::bigint from pg_class where oid = 'people'::regclass) as about
     from (select from people p where ${where} limit ${MOST_COUNTED + 1}) as p`,
    parameters.values
  );
  const { n = 0, about = 0 } = rows[0] ?? {};
  if (n <= MOST_COUNTED) return { total: n, more: false };
  // Of all people the database knows about how many there are.
  return { total: where === 'true' ? Math.max(n, about) : MOST_COUNTED, more: true };
}

interface Found {
  id: number;
  value: string | null;
}

/** A page's people, in order: those with a value first, then those without; and whether there are others around it. */
async function pageOf(
  db: Db,
  search: PeopleSearch
): Promise<{ found: Found[]; before: Place | null; after: Place | null }> {
  const { place = null } = search;
  const back = place?.way === 'before';
  // One more than is shown tells whether there is another page.
  const wanted = PER_PAGE + 1;
  const found: Found[] = [];
  for (const group of back ? (['without', 'has'] as const) : (['has', 'without'] as const)) {
    // A place among those without a value has all with one before it, and the other way round.
    if (place && group === 'has' && place.value === null && !back) continue;
    if (place && group === 'without' && place.value !== null && back) continue;
    const own = place && (place.value === null) === (group === 'without') ? place : null;
    if (found.length < wanted) found.push(...(await groupOf(db, search, group, own, back, wanted - found.length)));
  }
  const shown = found.slice(0, PER_PAGE);
  const more = found.length > PER_PAGE;
  if (back) shown.reverse();
  const [first, last] = [shown[0], shown.at(-1)];
  return {
    found: shown,
    before: first && (back ? more : place !== null) ? { way: 'before', value: first.value, id: first.id } : null,
    after: last && (back || more) ? { way: 'after', value: last.value, id: last.id } : null
  };
}

/** The next of those with a value, or without one, from a place on. */
async function groupOf(
  db: Db,
  search: PeopleSearch,
  group: 'has' | 'without',
  place: Place | null,
  back: boolean,
  limit: number
): Promise<Found[]> {
  const { from, value, type, id, has, without } = ORDER[search.sort];
  const parameters = new Parameters();
  const where = filterSql(search, parameters);
  let text: string;
  if (group === 'has') {
    const down = search.descending !== back;
    const bound = place
      ? `and (${value}, ${id}) ${down ? '<' : '>'} (${parameters.add(place.value, type)}, ${parameters.add(place.id, 'bigint')})`
      : '';
    const direction = down ? 'desc' : 'asc';
    // Its text carries every digit: read back it is the same.
    text = `select p.id, (${value})::text as value from ${from} where ${has} and ${where} ${bound}
      order by ${value} ${direction}, ${id} ${direction} limit ${parameters.add(limit)}`;
  } else {
    const bound = place ? `and p.id ${back ? '<' : '>'} ${parameters.add(place.id, 'bigint')}` : '';
    text = `select p.id, null as value from people p where ${without} and ${where} ${bound}
      order by p.id ${back ? 'desc' : 'asc'} limit ${parameters.add(limit)}`;
  }
  const score = text.includes(SCORE) ? parameters.add(search.shown.score ?? '') : '';
  return (await db.query<Found>(text.replaceAll(SCORE, score), parameters.values)).rows;
}

/** All tags there are, by name. */
export async function tagNames(db: Db): Promise<string[]> {
  const { rows } = await db.query<{ name: string }>({ name: 'tag-names', text: 'select name from tags order by name' });
  return rows.map((r) => r.name);
}

export interface PersonPage {
  id: number;
  name: string;
  email: string | null;
  phone: string | null;
  zone: string | null;
  /** The import they came with. */
  cameWith: { name: string; id: number; at: number } | null;
  fields: Record<string, FieldValue>;
  tags: { tag: string; since: number }[];
  consents: { channel: 'email' | 'sms'; state: ConsentState; at: number; source: string }[];
  scores: { score: string; points: number }[];
  suppressed: string[];
  /** Further addresses of theirs. */
  others: { address: string; channel: 'email' | 'sms'; since: number }[];
  /** The last time a suppression of one of their addresses was lifted. */
  lifted: { by: string; reason: string; at: number } | null;
  /** Set aside, because their work failed. */
  aside: { error: string; attempts: number; nextTry: number } | null;
  walks: {
    id: number;
    journey: string;
    key: string;
    version: number;
    state: string;
    step: string | null;
    standing: string | null;
    due: number | null;
    entered: number;
    ended: number | null;
    reason: string | null;
    goal: boolean;
  }[];
  timeline: TimelineLine[];
}

export interface TimelineLine {
  id: string;
  at: number;
  what: string;
  detail: Record<string, unknown>;
  journey: string | null;
  journeyKey: string | null;
  step: string | null;
  message: {
    id: number;
    channel: string;
    subject: string | null;
    body: string | null;
    state: string;
    error: string | null;
    attempts: number;
    /** Why it waits or failed. */
    trouble: string | null;
    /** How often it was sent once more by hand. */
    copies: number;
    /** UTC ms of the machine's clock. */
    nextTry: number | null;
  } | null;
}

/** The number that somebody goes by now: another one where they were made one with somebody. */
export async function personNow(db: Db, id: number): Promise<number> {
  const { rows } = await db.query<{ id: number }>('select person_now($1) as id', [id]);
  return rows[0]?.id ?? id;
}

export async function personPage(db: Db, id: number): Promise<PersonPage | null> {
  const { rows } = await db.query<Omit<PersonPage, 'walks' | 'timeline'>>(
    `select p.id, ${nameSql()} as name, p.email, p.phone, p.zone,
       (select jsonb_build_object('name', i.name, 'id', i.id, 'at', floor(extract(epoch from i.begun_at) * 1000)) from imports i where i.id = p.import_id) as "cameWith",
       jsonb_strip_nulls(jsonb_build_object('first_name', p.first_name, 'last_name', p.last_name)) || p.fields as fields,
       coalesce((select jsonb_agg(jsonb_build_object('tag', tag, 'since', floor(extract(epoch from since) * 1000)) order by tag)
         from person_tags t where t.person_id = p.id), '[]') as tags,
       coalesce((select jsonb_agg(jsonb_build_object('channel', channel, 'state', state, 'source', source,
         'at', floor(extract(epoch from at) * 1000)) order by channel) from consents c where c.person_id = p.id), '[]') as consents,
       coalesce((select jsonb_agg(jsonb_build_object('score', score, 'points', points) order by score)
         from scores s where s.person_id = p.id), '[]') as scores,
       array(select address from suppressions s where s.address in (lower(p.email), p.phone)) as suppressed,
       coalesce((select jsonb_agg(jsonb_build_object('address', address, 'channel', channel, 'since', floor(extract(epoch from since) * 1000))
         order by address) from other_addresses o where o.person_id = p.id), '[]') as others,
       (select jsonb_build_object('by', by, 'reason', reason, 'at', floor(extract(epoch from at) * 1000))
         from lifted_suppressions l where l.address in (lower(p.email), p.phone) order by l.at desc limit 1) as lifted,
       (select jsonb_build_object('error', error, 'attempts', attempts, 'nextTry', floor(extract(epoch from next_try) * 1000))
         from set_aside a where a.person_id = p.id) as aside
     from people p where p.id = $1`,
    [id]
  );
  const person = rows[0];
  if (!person) return null;
  const [walks, timeline] = await Promise.all([
    db.query<PersonPage['walks'][number]>(
      `select w.id, j.name as journey, j.key, w.version, w.state, w.step, w.standing, w.due_at as due, w.entered_at as entered,
         w.ended_at as ended, w.reason, w.goal_reached as goal
       from walks w join journeys j on j.id = w.journey_id where w.person_id = $1 order by w.id desc limit ${LINES}`,
      [id]
    ),
    db.query<TimelineLine>(TIMELINE, [id])
  ]);
  return { ...person, walks: walks.rows, timeline: timeline.rows };
}

/** Lines of a timeline: of each kind no more are read, however much somebody did. */
const LINES = 500;

/** Trail and happenings as one timeline, newest first. What the engine records about its own steps stands in the trail already. */
const TIMELINE = `
  select l.id, l.at, l.what, l.detail || case when e.id is null then '{}'::jsonb else jsonb_strip_nulls(jsonb_build_object(
      'errand', e.state, 'error', e.error, 'status', e.answer -> 'status')) end as detail, j.name as journey, j.key as "journeyKey", l.step,
    case when m.id is not null then jsonb_build_object('id', m.id, 'channel', m.channel, 'subject', m.subject, 'body', m.body,
      'state', m.state, 'error', m.error, 'attempts', m.attempts,
      'trouble', m.trouble, 'copies', ${copiesOf('m')}, 'nextTry', case when m.state = 'queued' then floor(extract(epoch from m.not_before) * 1000) end) end as message
  from (
    (
      select 't' || id as id, id as place, 0 as after, record, at, what, detail, journey_id, step, walk_id, person_id, null::bigint as message_id
      from trail where person_id = $1
      order by id desc limit ${LINES}
    )
    union all
    (
      select 'h' || id, id, 1, record, at, name, data, journey_id, step, walk_id, person_id, message_id
      from happenings
      where person_id = $1 and source <> 'engine' and name not in ('set', 'enter', 'existing', 'resumed', 'look', 'move', 'end', 'hurry', 'delivered')
      order by id desc limit ${LINES}
    )
    union all
    (
      select 'h' || id, id, 1, record, at, name, data, journey_id, step, null, person_id, null
      from happenings
      where person_id = $1 and source = 'engine' and name in ('tag_added', 'tag_removed', 'consent_changed', 'field_changed', 'field_refused', 'points_given')
        -- What a walk set off stands in its trail already.
        and not data ? 'cause'
      order by id desc limit ${LINES}
    )
    union all
    (
      select 'c' || m.id || '/' || c.place, m.id, 2, null, (c.copy ->> 'at')::timestamptz, 'copied', c.copy - 'at', m.journey_id, m.step,
        null, m.person_id, m.id
      from messages m cross join lateral jsonb_array_elements(m.copies) with ordinality as c (copy, place)
      where m.person_id = $1 and m.copies is not null
      order by m.id desc limit ${LINES}
    )
    union all
    (
      select 'n' || id, id, 2, null, at, 'note', jsonb_build_object('words', words, 'by', by, 'note', id), null, null, null, person_id, null
      from person_notes where person_id = $1
      order by id desc limit ${LINES}
    )
    union all
    (
      select 'k' || id, id, 2, null, created_at, 'task', jsonb_strip_nulls(jsonb_build_object('title', title, 'by', made_by, 'done', done_by)),
        null, null, null, person_id, null
      from tasks where person_id = $1 and made_by is not null
      order by id desc limit ${LINES}
    )
    union all
    (
      select 'a' || id, id, 2, null, at, 'answered', jsonb_strip_nulls(jsonb_build_object('text', body, 'by', by, 'state', state, 'error', error)),
        null, null, null, person_id, null
      from answers where person_id = $1
      order by id desc limit ${LINES}
    )
    -- No more than are shown are looked up.
    order by at desc, record desc nulls first, after desc, place desc limit ${LINES}
  ) l
  left join journeys j on j.id = l.journey_id
  left join errands e on l.what in ('called', 'notified') and e.person_id = l.person_id and e.walk_id = l.walk_id
    and e.step = l.step and e.record = l.record
  left join lateral (select * from messages m where m.person_id = l.person_id and m.id = case l.what
    -- A step in a loop sends several times: each line is of one of them.
    when 'sent' then (select x.id from messages x where x.person_id = l.person_id and x.walk_id = l.walk_id and x.step = l.step
      and (l.record is null or x.record = l.record) order by x.id limit 1)
    else l.message_id end offset 0) m on true
  order by l.at desc, l.record desc nulls first, l.after desc, l.place desc`;
