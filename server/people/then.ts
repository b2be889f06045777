/**
 * A person as they were at a place in their record: facts taken back to then by what is on record, points and rungs worked out
 * until then. What was never told (a field that came with somebody and was changed since) is not known, and said to be so.
 */
import { heardBy, rebuild } from '../../core/engagement/rebuild.ts';
import { newPerson, type PersonState } from '../../core/person/state.ts';
import { addOrder, refund } from '../../core/person/orders.ts';
import type { Channel, ConsentState, FieldValue } from '../../core/person/values.ts';
import type { Workspace } from '../../core/settings/workspace.ts';
import { ts, type Db } from '../db/pool.ts';
import {
  byRecord,
  happeningOf,
  sentAsHappening,
  sentOf,
  type HappeningRow,
  type SentRow
} from '../engine/load-rows.ts';
import { loadPast } from '../engine/past.ts';
import type { PlanBook } from '../engine/plans.ts';

/** A place in a person's record: what has a lower one, and what has none and is not later, had happened. */
export interface Place {
  record: number;
  /** UTC ms. */
  at: number;
}

export interface Then {
  person: PersonState;
  /** Fields of which it is not known what they were. */
  unknown: Set<string>;
}

/** Happenings before and after a place that are read at most: more than anybody does. */
const MOST = 50_000;
const ROW = 'person_id, id, name, at, walk_id, journey_id, step, record, data';

/** `null` where there is no such person. */
export async function personThen(
  db: Db,
  id: number,
  place: Place,
  workspace: Workspace,
  plans: PlanBook
): Promise<Then | null> {
  const { rows } = await db.query<{
    fields: Record<string, FieldValue>;
    tags: Record<string, number>;
    lists: Record<string, number>;
    segments: Record<string, number>;
  }>(
    `select jsonb_strip_nulls(jsonb_build_object('email', p.email, 'phone', p.phone, 'first_name', p.first_name, 'last_name', p.last_name,
        'zone', p.zone)) || p.fields as fields,
       ${LABELS.map(([table, name]) => `(select coalesce(jsonb_object_agg(${name}, floor(extract(epoch from since) * 1000)), '{}') from ${table} t where t.person_id = p.id) as ${name}s`).join(', ')}
     from people p where p.id = $1`,
    [id]
  );
  const [now] = rows;
  if (!now) return null;
  const person = newPerson(String(id));
  const all = await happenings(db, id, place, plans);
  const had = (h: HappeningRow): boolean => ((h.record ?? 0) > 0 ? (h.record ?? 0) < place.record : h.at <= place.at);
  const unknown = new Set<string>();
  for (const [name, value] of Object.entries(now.fields)) person.fields.set(name, value);
  const changes = (of: string, key: string): Map<string, { before?: HappeningRow; after?: HappeningRow }> => {
    const found = new Map<string, { before?: HappeningRow; after?: HappeningRow }>();
    for (const h of all) {
      if (!h.name.startsWith(of)) continue;
      const name = String(h.data[key]);
      const so = found.get(name) ?? {};
      if (had(h)) so.before = h;
      else so.after ??= h;
      found.set(name, so);
    }
    return found;
  };
  for (const [name, { before, after }] of changes('field_', 'field')) {
    const value = before ? before.data['to'] : after?.data['from'];
    if (!before && after && after.data['from'] === undefined) unknown.add(name);
    if (value === undefined || value === null) person.fields.delete(name);
    else person.fields.set(name, value as FieldValue);
  }
  for (const [, kind] of LABELS) {
    const held = kind === 'tag' ? person.tags : kind === 'list' ? person.lists : person.segments;
    for (const [name, since] of Object.entries(now[`${kind}s`])) if (since <= place.at) held.add(name);
    for (const [name, { before, after }] of changes(`${kind}_`, kind)) {
      const on = before ? /added|joined/.test(before.name) : /removed|left/.test(after?.name ?? '');
      if (on) held.add(name);
      else held.delete(name);
    }
  }
  const consents = await db.query<{ channel: Channel; state: ConsentState | 'never asked' }>(
    'select distinct on (channel) channel, state from consent_records where person_id = $1 and at <= $2 order by channel, id desc',
    [id, ts(place.at)]
  );
  for (const { channel, state } of consents.rows) if (state !== 'never asked') person.consent[channel] = state;
  await deeds(db, id, person, all.filter(had), place, plans);
  const which = { scores: new Set(workspace.scores.keys()), ladders: new Set(workspace.ladders.map((l) => l.name)) };
  const names = heardBy(workspace, which);
  const past = (await loadPast(db, [id], names, plans, { before: place.record })).get(id) ?? [];
  for (const one of past) if ('score' in one) which.scores.add(one.score);
  rebuild(workspace, person, past, which, place.at);
  return { person, unknown };
}

const LABELS = [
  ['person_tags', 'tag'],
  ['person_lists', 'list'],
  ['person_segments', 'segment']
] as const;

/** In their order; of very many those nearest to the place, which say most of how it was then. */
async function happenings(db: Db, id: number, { at }: Place, plans: PlanBook): Promise<HappeningRow[]> {
  const { rows } = await db.query<HappeningRow>(
    `select * from (
       (select ${ROW} from happenings where person_id = $1 and handled_at is not null and at <= $2 order by at desc, id desc limit ${MOST})
       union all
       (select ${ROW} from happenings where person_id = $1 and handled_at is not null and at > $2 order by at, id limit ${MOST})
     ) as near order by at, id`,
    [id, ts(at)]
  );
  await plans.name(
    db,
    rows.flatMap((r) => r.journey_id ?? [])
  );
  return rows;
}

/** What was sent and done until then, orders, and the walks there were. */
async function deeds(
  db: Db,
  id: number,
  person: PersonState,
  before: HappeningRow[],
  place: Place,
  plans: PlanBook
): Promise<void> {
  const sent = await db.query<SentRow>(
    `select person_id, walk_id, journey_id, step, visit, channel, address, created_at, record, service from messages
     where person_id = $1 and record < $2 order by record`,
    [id, place.record]
  );
  const tasks = await db.query<{ walk_id: number; journey_id: number; step: string; record: number }>(
    'select walk_id, journey_id, step, record from tasks where person_id = $1 and record < $2 order by record',
    [id, place.record]
  );
  const walks = await db.query<{
    id: number;
    journey_id: number;
    version: number;
    entered_at: number;
    begun_by: string;
  }>(
    `select id, journey_id, version, entered_at, begun_by from walks
     where person_id = $1 and entered_at <= $2 and (ended_at is null or ended_at > $2) order by id`,
    [id, ts(place.at)]
  );
  await plans.name(
    db,
    [...sent.rows, ...tasks.rows, ...walks.rows].map((r) => r.journey_id)
  );
  person.sent = sent.rows.map((r) => sentOf(r, plans));
  person.tasks = tasks.rows.map((t) => ({
    walk: t.walk_id,
    journey: plans.keyOf(t.journey_id),
    step: t.step,
    order: t.record
  }));
  person.record = [...before.map((r) => happeningOf(r, plans)), ...person.sent.map(sentAsHappening)].sort(byRecord);
  person.reactions = person.record.filter((h) => h.about);
  for (const h of person.record) {
    if (h.name === 'purchased') addOrder(person, h);
    if (h.name === 'refunded') refund(person, h);
  }
  person.walks = walks.rows.map((w) => ({
    id: w.id,
    journey: plans.keyOf(w.journey_id),
    version: w.version,
    state: 'walking' as const,
    at: 0,
    standing: null,
    by: w.begun_by,
    enteredAt: w.entered_at,
    endedAt: null,
    reason: null,
    visits: {},
    goalReached: false,
    goalUntil: null
  }));
}
