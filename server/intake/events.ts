/**
 * Happenings from programs: CloudEvents, stored first and answered at once. Each that is refused is named with its reason,
 * the others are kept; the same source and id is one, however often and at however many doors it comes. Workers handle them
 * like everything else of the inbox, in their order for each person.
 */
import { createHash } from 'node:crypto';
import type { Channel } from '../../core/person/values.ts';
import type { Input } from '../../core/person/world.ts';
import { readEnvelope, readEvent, type ReadEvent, type Say } from '../../core/events/event.ts';
import { isTooDeep, TOO_DEEP } from '../../core/journey/depth.ts';
import { found, pathText } from '../../core/journey/problems.ts';
import { LONGEST as LONGEST_TEXT, unfitInside } from '../../core/text/text.ts';
import { MINUTE } from '../../core/time/duration.ts';
import { now } from '../workspace/clock.ts';
import { columns } from '../db/columns.ts';
import { notify } from '../db/notify.ts';
import { againIfGone, transaction, ts, type Db, type Pool } from '../db/pool.ts';
import { withoutTaken } from '../engine/load-addresses.ts';
import { readAddress } from '../addresses/address.ts';
import type { SettingsBook } from '../workspace/settings.ts';

/** Events of one request. */
export const MOST_EVENTS = 1000;
/** A clock that is ahead of ours by more than this is wrong. */
const AHEAD = 5 * MINUTE;
/** An event is told in so much, as JSON: more is a file, not an event (CloudEvents 1.0, "Size limits"). */
const MOST_TEXT = 65_536;
/** The longest source and id that are taken, in characters. */
const LONGEST = 500;

export interface RefusedEvent {
  /** Its place in the request, from 0. */
  index: number;
  id: string | null;
  /** What is wrong with it, by its path. */
  problems: string[];
}

export interface Taken {
  /** Stored by this request. */
  taken: number;
  /** Known before: nothing more comes of them. */
  known: number;
  refused: RefusedEvent[];
}

interface Good {
  index: number;
  event: ReadEvent;
  person: number;
}

/** Stores events. They are given as they came, each on its own right or wrong. */
export async function takeEvents(pool: Pool, settings: SettingsBook, given: readonly unknown[]): Promise<Taken> {
  return againIfGone(() => take(pool, settings, given));
}

async function take(pool: Pool, settings: SettingsBook, given: readonly unknown[]): Promise<Taken> {
  const present = await now(pool);
  const { workspace } = await settings.read(pool);
  const { rows } = await pool.query<{ key: string }>('select key from journeys');
  const { rows: own } = await pool.query<{ country: string | null }>('select country from workspace');
  const known = { journeys: new Set(rows.map((r) => r.key)), types: workspace.types, country: own[0]?.country ?? null };
  const refused: RefusedEvent[] = [];
  const read: { index: number; event: ReadEvent }[] = [];
  given.forEach((json, index) => {
    const problems: string[] = [];
    const event = readOne(json, known, present, problems);
    if (event) read.push({ index, event });
    else refused.push({ index, id: idOf(json), problems });
  });
  const people = await peopleOf(
    pool,
    read.map((r) => r.event.subject)
  );
  const good: Good[] = [];
  for (const { index, event } of read) {
    const person = people.get(event.subject);
    if (person !== undefined) good.push({ index, event, person });
    else
      refused.push({
        index,
        id: event.id,
        problems: [`subject: found ${found(event.subject)}, expected the id, address or number of someone known here`]
      });
  }
  await findChannels(pool, good);
  const free = await withoutTakenAddresses(pool, good, refused);
  const taken = free.length ? await store(pool, free) : 0;
  return { taken, known: free.length - taken, refused: refused.sort((a, b) => a.index - b.index) };
}

function readOne(
  json: unknown,
  known: Parameters<typeof readEvent>[1] & { country: string | null },
  present: number,
  problems: string[]
): ReadEvent | null {
  if (isTooDeep(json)) {
    problems.push(`the event: ${TOO_DEEP}`);
    return null;
  }
  const size = JSON.stringify(json).length;
  if (size > MOST_TEXT) {
    problems.push(`the event: found ${size} characters, expected at most ${MOST_TEXT}`);
    return null;
  }
  const unfit = unfitInside(json);
  if (unfit) {
    problems.push(`${pathText(unfit.path)}: found ${unfit.what}, expected text without it`);
    return null;
  }
  const say: Say = (path, message) => void problems.push(`${pathText(path)}: ${message}`);
  const envelope = readEnvelope(json, say);
  if (!envelope) return null;
  for (const key of ['source', 'id', 'subject'] as const)
    if (envelope[key].length > LONGEST)
      say([key], `found ${envelope[key].length} characters, expected at most ${LONGEST}`);
  const event = readEvent(envelope, known, say);
  if (event?.input.kind === 'set') {
    lengths(event.input, say);
    addresses(event.input, known.country, say);
    // What a program tells is nobody's own act: a consent that was withdrawn comes back by the person, or by a colleague here.
    if (event.input.by) say(['data', 'by'], `found ${found(event.input.by)}, expected none: a program acts for nobody`);
  }
  if (event && event.at > present + AHEAD)
    say(['time'], `found ${envelope.time}, which is still to come, expected an instant that has passed`);
  return problems.length ? null : event;
}

/** Names of facts and their values, as long as at every other door: a longer one no index could hold. */
function lengths(set: Extract<Input, { kind: 'set' }>, say: Say): void {
  for (const key of ['addTags', 'removeTags', 'addLists', 'removeLists'] as const)
    set[key]?.forEach((name, i) => {
      if (name === '' || name.length > LONGEST_TEXT.label)
        say(['data', key, i], `found ${name.length} characters, expected a name of at most ${LONGEST_TEXT.label}`);
    });
  for (const [field, value] of Object.entries(set.fields ?? {})) {
    if (field.length > LONGEST_TEXT.name)
      say(['data', 'fields'], `found a name of ${field.length} characters, expected at most ${LONGEST_TEXT.name}`);
    for (const text of [value].flat())
      if (typeof text === 'string' && text.length > LONGEST_TEXT.words)
        say(
          ['data', 'fields', field.slice(0, LONGEST_TEXT.name)],
          `found ${text.length} characters, expected at most ${LONGEST_TEXT.words}`
        );
  }
}

function idOf(json: unknown): string | null {
  const id = typeof json === 'object' && json !== null && 'id' in json ? json.id : null;
  return typeof id === 'string' ? id.slice(0, LONGEST) : null;
}

/** People by how events name them: by their number here, their email address, or their phone number. */
async function peopleOf(db: Db, subjects: string[]): Promise<Map<string, number>> {
  const all = [...new Set(subjects)];
  if (!all.length) return new Map();
  const { rows } = await db.query<{ subject: string; id: number }>({
    name: 'people-of-events',
    text: `
      select subject, id from (
        select s.subject, coalesce(
          (select id from people where id = person_now(case when s.subject ~ '^[0-9]{1,15}$' then s.subject::bigint end)),
          person_of_email(regexp_replace(s.subject, '^mailto:', '')),
          person_of_number(s.subject)) as id
        from unnest($1::text[]) as s (subject)
      ) as found where id is not null`,
    values: [all]
  });
  return new Map(rows.map((r) => [r.subject, r.id]));
}

/** Happenings that take something back at once: they have to say of which channel. */
const TAKES_BACK = new Set(['unsubscribed', 'complained', 'bounced']);

/** The channel of what names a message by its step alone: of the latest one sent from it, or as the step stands in a journey. */
async function findChannels(db: Db, good: Good[]): Promise<void> {
  const open = good.flatMap(({ event: { input, of }, person }, place) =>
    of && input.kind === 'happening' && TAKES_BACK.has(input.happening.name) && !input.happening.channel
      ? [{ place, person, step: of.step, journey: of.journey ?? null, happening: input.happening }]
      : []
  );
  if (!open.length) return;
  const { rows } = await db.query<{ place: number; channel: Channel | null }>({
    name: 'channels-of-events',
    text: `
      select t.place, coalesce(
        (select m.channel from messages m join journeys j on j.id = m.journey_id
          where m.person_id = t.person and m.step = t.step and (t.journey is null or j.key = t.journey) order by m.id desc limit 1),
        (select s ->> 'kind' from journeys j join versions v on v.journey_id = j.id and v.number = j.live_version
          cross join lateral jsonb_path_query_first(v.document, '$.** ? (@.key == $key && (@.kind == "email" || @.kind == "sms"))',
            jsonb_build_object('key', t.step)) as s
          where (t.journey is null or j.key = t.journey) and s is not null order by j.id limit 1)) as channel
      from unnest($1::integer[], $2::bigint[], $3::text[], $4::text[]) as t (place, person, step, journey)`,
    values: columns(open, ['place', 'person', 'step', 'journey'])
  });
  const found = new Map(rows.map((r) => [r.place, r.channel]));
  for (const { place, happening } of open) {
    const channel = found.get(place);
    if (channel) happening.channel = channel;
  }
}

const ADDRESSES = ['email', 'phone'] as const;

/** Reads addresses in the form in which they are kept; one that is none is said. */
function addresses(set: Extract<Input, { kind: 'set' }>, country: string | null, say: Say): void {
  for (const which of ADDRESSES) {
    const given = set.fields?.[which];
    if (set.fields === undefined || given === undefined || given === null) continue;
    const read = typeof given === 'string' ? readAddress(which, given, country) : null;
    if (read?.ok) set.fields[which] = read.value;
    else say(['data', 'fields', which], `found ${found(given)}, expected ${EXPECTED[which]}`);
  }
}
const EXPECTED = { email: 'one email address', phone: 'one phone number with its country, as +447700900123' } as const;

/**
 * Takes out those that would give someone an address that somebody else has, or that an earlier one of the same request gives to
 * somebody else, and those that would leave nobody to write to.
 */
async function withoutTakenAddresses(db: Db, good: Good[], refused: RefusedEvent[]): Promise<Good[]> {
  const changing = good.flatMap((g) => (g.event.input.kind === 'set' ? [{ ...g, input: g.event.input }] : []));
  if (!changing.some(({ input }) => ADDRESSES.some((which) => input.fields?.[which] !== undefined))) return good;
  const { rows } = await db.query<{ id: number; email: string | null; phone: string | null }>(
    'select id, email, phone from people where id = any($1::bigint[])',
    [changing.map((c) => c.person)]
  );
  const known = new Map(rows.map((r) => [r.id, { email: r.email, phone: r.phone }]));
  const checked = await withoutTaken(
    db,
    [...known].map(([id, has]) => ({
      id,
      has,
      // Only to be looked at: what is stored is what was told.
      inputs: changing.flatMap(({ person, index, input }) =>
        person === id ? [{ input: { ...input, fields: { ...input.fields } }, by: String(index) }] : []
      )
    }))
  );
  const bad = new Set(checked.map((r) => Number(r.by)));
  for (const r of checked)
    refused.push({
      index: Number(r.by),
      id: good.find((g) => g.index === Number(r.by))?.event.id ?? null,
      problems: [
        `data.fields.${r.field}: ${r.why}, expected ${r.to === null ? 'one of both to stay' : 'one that is free'}`
      ]
    });
  return good.filter((g) => !bad.has(g.index));
}

/** Puts events into the inbox, but for those that came before; how many. */
async function store(pool: Pool, good: Good[]): Promise<number> {
  const rows = good.map(({ event, person }, place) => ({
    person,
    place,
    name: event.input.kind === 'happening' ? event.input.happening.name : event.input.kind,
    at: ts(event.at),
    source: `api ${event.source}`,
    id: event.id,
    key: createHash('sha256').update(`${event.source}\n${event.id}`).digest().subarray(0, 16),
    data: JSON.stringify(dataOf(event))
  }));
  // In one order, so that two who tell the same never wait for each other in a circle.
  const ordered = [...rows].sort((a, b) => Buffer.compare(a.key, b.key));
  return transaction(pool, async (db) => {
    const { rows: fresh } = await db.query<{ key: Buffer }>({
      name: 'events-seen',
      text: `
        insert into events_seen (key, at) select distinct on (key) key, at from unnest($1::bytea[], $2::timestamptz[]) as t (key, at)
        order by key on conflict do nothing returning key`,
      values: columns(ordered, ['key', 'at'])
    });
    const unseen = new Set(fresh.map((r) => r.key.toString('hex')));
    const kept = rows.filter((r) => unseen.delete(r.key.toString('hex')));
    if (!kept.length) return 0;
    await db.query({
      name: 'store-events',
      text: `
        insert into happenings (person_id, name, at, source, source_id, data)
        select person_id, name, at, source, source_id, data
        from unnest($1::bigint[], $2::text[], $3::timestamptz[], $4::text[], $5::text[], $6::jsonb[]) with ordinality
          as t (person_id, name, at, source, source_id, data, place)
        order by place
        on conflict do nothing`,
      values: columns(kept, ['person', 'name', 'at', 'source', 'id', 'data'])
    });
    await notify(db, 'inbox');
    return kept.length;
  });
}

function dataOf({ input, of }: ReadEvent): object {
  if (input.kind === 'happening') {
    const { name: _name, at: _at, ...data } = input.happening;
    return { ...data, ...(of ? { about: of } : {}) };
  }
  const { kind, ...data } = input;
  return kind === 'enter' ? { ...data, by: 'api' } : data;
}
