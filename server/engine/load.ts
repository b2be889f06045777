/** Loads what a batch's people need, in a few set queries. */
import type { Channel } from '../../core/condition/happening.ts';
import type { Happening } from '../../core/person/happening.ts';
import type { Input } from '../../core/person/world.ts';
import { newPerson, type ConsentState, type FieldValue, type PersonState } from '../../core/person/state.ts';
import type { Standing, Walk, WalkState } from '../../core/walk/walk.ts';
import { ts, type Db } from '../db/pool.ts';
import type { PlanBook } from './plans.ts';

export interface InboxItem {
  id: number;
  at: number;
  input: Input;
}

export interface LoadedPerson {
  id: number;
  state: PersonState;
  inbox: InboxItem[];
  /** Walks as loaded, whatever becomes of them. */
  walks: Walk[];
}

interface HappeningRow {
  person_id: number;
  id: number;
  name: string;
  at: number;
  walk_id: number | null;
  journey_id: number | null;
  step: string | null;
  data: Record<string, unknown>;
}

export async function loadPeople(
  db: Db,
  ids: number[],
  now: number,
  plans: PlanBook
): Promise<{ people: LoadedPerson[]; suppressed: Set<string> }> {
  const people = new Map<number, LoadedPerson>();
  const of = (id: number): LoadedPerson => {
    const found = people.get(id);
    if (!found) throw new Error(`person ${id} was not loaded`);
    return found;
  };

  const own = await db.query<{
    id: number;
    email: string | null;
    phone: string | null;
    first_name: string | null;
    last_name: string | null;
    zone: string | null;
    fields: Record<string, FieldValue>;
  }>({
    name: 'load-people',
    text: `
      select id, email, phone, first_name, last_name, zone, fields
      from people
      where id = any($1::bigint[])`,
    values: [ids]
  });
  const addresses: string[] = [];
  for (const { id, fields, ...columns } of own.rows) {
    const state = newPerson(String(id));
    for (const [name, value] of Object.entries({ ...fields, ...columns })) {
      if (value !== null) state.fields.set(name, value);
    }
    for (const address of [columns.email, columns.phone]) if (address) addresses.push(address.toLowerCase());
    people.set(id, { id, state, inbox: [], walks: [] });
  }

  const facts = await db.query<{
    person_id: number;
    fact: string;
    name: string;
    state: string | null;
    n: number | null;
  }>({
    name: 'load-facts',
    text: `
      select person_id, 'tag' as fact, tag as name, null as state, null::double precision as n
      from person_tags where person_id = any($1::bigint[])
      union all
      select person_id, 'list', list, null, null from person_lists where person_id = any($1::bigint[])
      union all
      select person_id, 'consent', channel, state, null from consents where person_id = any($1::bigint[])
      union all
      select person_id, 'score', score, null, points from scores where person_id = any($1::bigint[])
      union all
      select person_id, 'entered', journey_id::text, null, max(id)
      from walks where person_id = any($1::bigint[])
      group by person_id, journey_id`,
    values: [ids]
  });
  for (const { person_id, fact, name, state: consent, n } of facts.rows) {
    const { state } = of(person_id);
    if (fact === 'tag') state.tags.add(name);
    else if (fact === 'list') state.lists.add(name);
    else if (fact === 'consent') state.consent[name as Channel] = consent as ConsentState;
    else if (fact === 'score') state.scores.set(name, n ?? 0);
    else {
      state.entered.add(plans.keyOf(Number(name)));
      state.nextWalk = Math.max(state.nextWalk, (n ?? 0) + 1);
    }
  }

  const walks = await db.query<{
    person_id: number;
    id: number;
    journey_id: number;
    version: number;
    state: WalkState;
    at_step: number;
    standing: Standing['kind'] | null;
    due_at: number | null;
    begun_by: string;
    entered_at: number;
    ended_at: number | null;
    reason: string | null;
    visits: Record<string, number>;
    goal_reached: boolean;
    watch_until: number | null;
  }>({
    name: 'load-walks',
    text: `
      select person_id, id, journey_id, version, state, at_step, standing, due_at, begun_by, entered_at, ended_at,
        reason, visits, goal_reached, watch_until
      from walks
      where person_id = any($1::bigint[])
        and (state = 'walking' or (watch_until >= $2 and not goal_reached))
      order by person_id, id`,
    values: [ids, ts(now)]
  });
  await plans.ensure(db, walks.rows);
  let reads = false;
  for (const r of walks.rows) {
    const walk: Walk = {
      id: r.id,
      journey: plans.keyOf(r.journey_id),
      version: r.version,
      state: r.state,
      at: r.at_step,
      standing: r.standing && r.due_at !== null ? { kind: r.standing, until: r.due_at } : null,
      by: r.begun_by,
      enteredAt: r.entered_at,
      endedAt: r.ended_at,
      reason: r.reason,
      visits: r.visits,
      goalReached: r.goal_reached,
      goalUntil: r.watch_until
    };
    const person = of(r.person_id);
    person.walks.push(walk);
    person.state.walks.push(walk);
    reads ||= plans.plan(r.journey_id, r.version).facts.reactions;
  }

  // Only journeys that ask what people did with a message need that loaded.
  if (reads) {
    const reactions = await db.query<HappeningRow>({
      name: 'load-reactions',
      text: `
        select h.person_id, h.id, h.name, h.at, h.walk_id, h.journey_id, h.step, h.data
        from unnest($1::bigint[], $2::integer[]) as w (person_id, id)
        join happenings h on h.person_id = w.person_id and h.walk_id = w.id
        where h.step is not null and h.handled_at is not null
        order by h.person_id, h.id`,
      values: [walks.rows.map((w) => w.person_id), walks.rows.map((w) => w.id)]
    });
    for (const r of reactions.rows) remember(of(r.person_id).state, r, plans);
  }

  const inbox = await db.query<HappeningRow>({
    name: 'load-inbox',
    text: `
      select person_id, id, name, at, walk_id, journey_id, step, data
      from happenings
      where person_id = any($1::bigint[]) and handled_at is null
      order by id`,
    values: [ids]
  });
  for (const r of inbox.rows) of(r.person_id).inbox.push({ id: r.id, at: r.at, input: inputOf(r, plans) });

  const { rows } = await db.query<{ address: string }>({
    name: 'load-suppressed',
    text: 'select address from suppressions where address = any($1::text[])',
    values: [addresses]
  });
  return { people: [...people.values()], suppressed: new Set(rows.map((r) => r.address)) };
}

function remember(state: PersonState, r: HappeningRow, plans: PlanBook): void {
  const walk = r.walk_id ?? 0;
  const step = r.step ?? '';
  if (r.name === 'sent') {
    const channel = r.data['channel'] as Channel;
    state.sent.push({ walk, journey: plans.keyOf(r.journey_id ?? 0), step, visit: 0, channel, at: r.at, order: r.id });
  } else if (!r.data['machine']) {
    const link = r.data['link'];
    state.reactions.push({
      name: r.name,
      about: { walk, journey: plans.keyOf(r.journey_id ?? 0), step },
      at: r.at,
      record: r.id,
      ...(typeof link === 'string' ? { link } : {})
    });
  }
  state.order = Math.max(state.order, r.id + 1);
}

/** An inbox row as the engine's input. `enter`, `existing` and `set` are requests, everything else happened. */
function inputOf(r: HappeningRow, plans: PlanBook): Input {
  if (r.name === 'enter')
    return { kind: 'enter', journey: String(r.data['journey']), by: String(r.data['by'] ?? 'hand') };
  if (r.name === 'existing') return { kind: 'existing', journey: String(r.data['journey']) };
  if (r.name === 'set') return { ...(r.data as Omit<Extract<Input, { kind: 'set' }>, 'kind'>), kind: 'set' };
  const happening: Happening = { ...(r.data as Partial<Happening>), name: r.name, at: r.at };
  if (r.walk_id !== null && r.step !== null && r.journey_id !== null) {
    happening.about = { walk: r.walk_id, journey: plans.keyOf(r.journey_id), step: r.step };
  }
  return { kind: 'happening', happening };
}
