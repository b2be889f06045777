/** Finding people, and one person's page. */
import type { Condition } from '../../core/condition/schema.ts';
import { conditionSql, Parameters, type AskedAt } from '../../core/condition/sql.ts';
import type { ConsentState } from '../../core/person/values.ts';
import type { Db } from '../db/pool.ts';
import { lettersSql } from './letters.ts';
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
  page: number;
  /** Which field and score are shown. */
  shown: Shown;
}

export const PER_PAGE = 50;

/**
 * Where the order of a list comes from: an index that has everyone with a value in order, read from either end, and how
 * to tell those without one, who come last either way. So a page costs what it shows, however many there are.
 */
interface Order {
  from: string;
  value: string;
  id: string;
  /** Whether the index goes up. */
  ascending: boolean;
  has: string;
  /** Of `people p` alone. */
  without: string;
}

/** `$score` stands for the parameter that holds the name of the score shown. */
const SCORE = '$score';

const agendaOrder = (column: string, has: string): Order => ({
  from: 'agenda s join people p on p.id = s.person_id',
  value: `s.${column}`,
  id: 's.person_id',
  ascending: false,
  has: `s.${has}`,
  without: `not exists (select from agenda s where s.person_id = p.id and s.${has})`
});
const columnOrder = (column: string): Order => ({
  from: 'people p',
  value: `lower(p.${column})`,
  id: 'p.id',
  ascending: true,
  has: `p.${column} is not null`,
  without: `p.${column} is null`
});

const ORDER: Record<Sort, Order> = {
  name: columnOrder('last_name'),
  email: columnOrder('email'),
  score: {
    from: `scores s join people p on p.id = s.person_id and s.score = ${SCORE}`,
    value: 's.points',
    id: 's.person_id',
    ascending: false,
    has: 'true',
    without: `not exists (select from scores s where s.person_id = p.id and s.score = ${SCORE})`
  },
  last: agendaOrder('did_at', 'did_at is not null'),
  walking: agendaOrder('walking', 'walking > 0')
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
}

export async function searchPeople(db: Db, search: PeopleSearch): Promise<PeopleFound> {
  // One after the other: `db` may be one connection.
  const { total, more } = await countPeople(db, search);
  const ids = await pageOf(db, search);
  const { rows } = await db.query<PersonLine>({
    name: 'people-lines',
    text: `
      select p.id, p.email, p.phone, coalesce(nullif(concat_ws(' ', p.first_name, p.last_name), ''), p.email, p.phone) as name,
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
  return { people: rows, total, more };
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

/** Ids of a page's people, in order: those with a value first, then, where the page is not full, those without. */
async function pageOf(db: Db, search: PeopleSearch): Promise<number[]> {
  const { from, value, id, ascending, has, without } = ORDER[search.sort];
  const direction = search.descending ? 'desc' : 'asc';
  // Read from its other end, an index has equals in the other order too.
  const equals = search.descending === ascending ? 'desc' : 'asc';
  const skipped = (search.page - 1) * PER_PAGE;
  const ask = async <T extends object>(write: (where: string, parameters: Parameters) => string): Promise<T[]> => {
    const parameters = new Parameters();
    const text = write(filterSql(search, parameters), parameters);
    const score = text.includes(SCORE) ? parameters.add(search.shown.score ?? '') : '';
    return (await db.query<T>(text.replaceAll(SCORE, score), parameters.values)).rows;
  };
  const found = await ask<{ id: number }>(
    (where, p) =>
      `select p.id from ${from}
       where ${has} and ${where}
       order by ${value} ${direction}, ${id} ${equals}
       limit ${p.add(PER_PAGE)} offset ${p.add(skipped)}`
  );
  const ids = found.map((r) => r.id);
  if (ids.length === PER_PAGE) return ids;
  const count = (where: string): string => `select count(*) as n from ${from} where ${has} and ${where}`;
  const before = ids.length ? skipped + ids.length : ((await ask<{ n: number }>(count))[0]?.n ?? 0);
  const rest = await ask<{ id: number }>(
    (where, p) =>
      `select p.id from people p
       where ${without} and ${where}
       order by p.id
       limit ${p.add(PER_PAGE - ids.length)} offset ${p.add(Math.max(0, skipped - before))}`
  );
  return [...ids, ...rest.map((r) => r.id)];
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
  fields: Record<string, unknown>;
  tags: { tag: string; since: number }[];
  consents: { channel: 'email' | 'sms'; state: ConsentState; at: number; source: string }[];
  scores: { score: string; points: number }[];
  suppressed: string[];
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
    /** UTC ms of the machine's clock. */
    nextTry: number | null;
  } | null;
}

export async function personPage(db: Db, id: number): Promise<PersonPage | null> {
  const { rows } = await db.query<Omit<PersonPage, 'walks' | 'timeline'>>(
    `select p.id, coalesce(nullif(concat_ws(' ', p.first_name, p.last_name), ''), p.email, p.phone) as name, p.email, p.phone, p.zone,
       jsonb_strip_nulls(jsonb_build_object('first_name', p.first_name, 'last_name', p.last_name)) || p.fields as fields,
       coalesce((select jsonb_agg(jsonb_build_object('tag', tag, 'since', floor(extract(epoch from since) * 1000)) order by tag)
         from person_tags t where t.person_id = p.id), '[]') as tags,
       coalesce((select jsonb_agg(jsonb_build_object('channel', channel, 'state', state, 'source', source,
         'at', floor(extract(epoch from at) * 1000)) order by channel) from consents c where c.person_id = p.id), '[]') as consents,
       coalesce((select jsonb_agg(jsonb_build_object('score', score, 'points', points) order by score)
         from scores s where s.person_id = p.id), '[]') as scores,
       array(select address from suppressions s where s.address in (lower(p.email), p.phone)) as suppressed,
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
       from walks w join journeys j on j.id = w.journey_id where w.person_id = $1 order by w.id desc`,
      [id]
    ),
    db.query<TimelineLine>(TIMELINE, [id])
  ]);
  return { ...person, walks: walks.rows, timeline: timeline.rows };
}

/** Trail and happenings as one timeline, newest first. What the engine records about its own steps stands in the trail already. */
const TIMELINE = `
  select l.id, l.at, l.what, l.detail || case when e.id is null then '{}'::jsonb else jsonb_strip_nulls(jsonb_build_object(
      'errand', e.state, 'error', e.error, 'status', e.answer -> 'status')) end as detail, j.name as journey, j.key as "journeyKey", l.step,
    case when m.id is not null then jsonb_build_object('id', m.id, 'channel', m.channel, 'subject', m.subject, 'body', m.body,
      'state', m.state, 'error', m.error, 'attempts', m.attempts,
      'trouble', m.trouble, 'nextTry', case when m.state = 'queued' then floor(extract(epoch from m.not_before) * 1000) end) end as message
  from (
    select 't' || id as id, id as place, 0 as after, record, at, what, detail, journey_id, step, walk_id, person_id, null::bigint as message_id
    from trail where person_id = $1
    union all
    select 'h' || id, id, 1, record, at, name, data, journey_id, step, walk_id, person_id, message_id
    from happenings
    where person_id = $1 and source <> 'engine' and name not in ('set', 'enter', 'existing', 'resumed', 'look', 'move', 'end', 'delivered')
    union all
    select 'h' || id, id, 1, record, at, name, data, journey_id, step, null, person_id, null
    from happenings
    where person_id = $1 and source = 'engine' and name in ('tag_added', 'tag_removed', 'consent_changed', 'field_changed')
      -- What a walk set off stands in its trail already.
      and not data ? 'cause'
  ) l
  left join journeys j on j.id = l.journey_id
  left join errands e on l.what in ('called', 'notified') and e.person_id = l.person_id and e.walk_id = l.walk_id
    and e.step = l.step and e.record = l.record
  left join messages m on m.person_id = l.person_id
    -- A step in a loop sends several times: each line is of one of them.
    and (m.id = l.message_id or (l.what = 'sent' and m.walk_id = l.walk_id and m.step = l.step
      and (l.record is null or m.record = l.record)))
  order by l.at desc, l.record desc nulls first, l.after desc, l.place desc
  limit 500`;
