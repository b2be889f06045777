/** Loads what a batch's people need, in a few set queries: facts by what the plans at hand ask. */
import { presentName, type Renamed } from '../../core/journey/names.ts';
import type { Channel, ConsentState, FieldValue } from '../../core/person/values.ts';
import { restoreState, type KeptState } from '../../core/person/kept.ts';
import type { Input } from '../../core/person/world.ts';
import type { Subject } from '../../core/person/subject.ts';
import type { JourneyPlan } from '../../core/journey/compile.ts';
import type { Workspace } from '../../core/settings/workspace.ts';
import { restoreWalk } from '../../core/walk/kept.ts';
import type { Standing, Walk, WalkState } from '../../core/walk/walk.ts';
import { ts, type Db } from '../db/pool.ts';
import { bounded, MOST_PAST, rowsOf } from './bounds.ts';
import { loadEarlier } from './load-earlier.ts';
import type { Loaded, LoadedPerson } from './loaded.ts';
import { byRecord, happeningOf, sentAsHappening, sentOf, type HappeningRow, type SentRow } from './load-rows.ts';
import { isRequest, readRequest, Unreadable, type Request } from '../inbox/request.ts';
import { withoutTaken } from './load-addresses.ts';
import type { PlanBook } from './plans.ts';

/** Happenings of one person worked off in one batch: a flood for one is no reason for all others to wait. */
const MOST_EACH = 200;

/** `entering`: the plans that can be entered, paused ones included. */
export async function loadPeople(
  db: Db,
  ids: number[],
  now: number,
  plans: PlanBook,
  entering: readonly JourneyPlan[],
  workspace: Workspace,
  /** What of each one's inbox is worked off at most. */
  each = MOST_EACH
): Promise<Loaded> {
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
    worked_at: number | null;
    created_at: number;
    state: KeptState | null;
  }>({
    name: 'load-people',
    text: `
      select p.id, p.email, p.phone, p.first_name, p.last_name, p.zone, p.fields, p.created_at, a.worked_at, a.state
      from people p
      left join agenda a on a.person_id = p.id
      where p.id = any($1::bigint[])`,
    values: [ids]
  });
  const addresses: string[] = [];
  for (const { id, fields, worked_at: worked, created_at: since, state: kept, ...columns } of own.rows) {
    const state = restoreState(String(id), kept ?? {});
    for (const [name, value] of Object.entries({ ...fields, ...columns })) {
      if (value !== null) state.fields.set(name, value);
    }
    for (const address of [columns.email, columns.phone]) if (address) addresses.push(address.toLowerCase());
    people.set(id, { id, state, worked: worked ?? -Infinity, since, inbox: [], more: false, broken: null, walks: [] });
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
      select person_id, 'segment', segment, null, null from person_segments where person_id = any($1::bigint[])
      union all
      -- As journeys know it: a withdrawal holds at once, and they hear of it in its turn.
      select person_id, 'consent', channel, case when told_by is null then state else heard end, null from consents
      where person_id = any($1::bigint[]) and (told_by is null or heard is not null)
      union all
      select person_id, 'score', score, null, points from scores where person_id = any($1::bigint[])`,
    values: [ids]
  });
  for (const { person_id, fact, name, state: consent, n } of facts.rows) {
    const { state } = of(person_id);
    if (fact === 'tag') state.tags.add(name);
    else if (fact === 'list') state.lists.add(name);
    else if (fact === 'segment') state.segments.add(name);
    else if (fact === 'consent') state.consent[name as Channel] = consent as ConsentState;
    else state.scores.set(name, n ?? 0);
  }

  const reading = await loadWalks(db, ids, now, plans, of);
  if (reading.length) await loadReactions(db, reading, plans, of);
  const inbox = await db.query<HappeningRow>({
    name: 'load-inbox',
    text: `
      select h.person_id, h.id, h.name, h.at, h.walk_id, h.journey_id, h.step, h.record, h.message_id, h.source, h.source_id, h.data
      from unnest($1::bigint[]) as p (id)
      cross join lateral (
        select * from happenings h
        where h.person_id = p.id and h.handled_at is null
        order by h.id
        limit $2
      ) h
      order by h.id`,
    values: [ids, each + 1]
  });
  await plans.name(
    db,
    inbox.rows.flatMap((r) => r.journey_id ?? [])
  );
  await plans.ensure(
    db,
    inbox.rows
      .filter((r) => r.name === 'move')
      .map((r) => ({ journey_id: Number(r.data['id']), version: Number(r.data['version']) }))
  );
  for (const r of inbox.rows) {
    const person = of(r.person_id);
    if (person.broken) continue;
    if (person.inbox.length === each) {
      person.more = true;
      continue;
    }
    let input: Input;
    try {
      input = inputOf(r, plans);
    } catch (error) {
      if (!(error instanceof Unreadable)) throw error;
      person.broken = error;
      continue;
    }
    // The inbox is in order of arrival; a clock that was set back does not turn that round.
    person.inbox.push({
      id: r.id,
      message: r.message_id ?? null,
      at: Math.min(Math.max(r.at, person.inbox.at(-1)?.at ?? -Infinity), now),
      input,
      by: sayerOf(r),
      ...(r.data['about'] ? { of: r.data['about'] as Subject } : {})
    });
  }

  // Before anything else comes, they hear of what a journey that goes on again has missed of them.
  const missed = await loadMissed(db, [...people.values()], plans);
  for (const { person, input } of missed)
    person.inbox.unshift({ id: null, message: null, at: person.inbox[0]?.at ?? now, input, by: 'engine' });

  const refused = await withoutTaken(
    db,
    [...people.values()].map(({ id, state, inbox: inputs }) => ({
      id,
      has: { email: textOf(state.fields.get('email')), phone: textOf(state.fields.get('phone')) },
      inputs
    }))
  );

  const asks = new Set<string>(workspace.asks);
  const elsewhere = new Set<string>();
  const followed = [...people.values()].flatMap((p) =>
    p.walks.map((w) => plans.found(plans.idOf(w.journey), w.version))
  );
  for (const plan of new Set([...entering, ...followed])) {
    for (const name of plan?.facts.did ?? []) asks.add(name);
    if (plan?.facts.elsewhere) for (const name of plan.facts.reactions) elsewhere.add(name);
  }
  await loadEarlier(db, [...people.values()], { limits: workspace.limits, asks, elsewhere }, now, plans, of);

  const { rows } = await db.query<{ address: string }>({
    name: 'load-suppressed',
    text: `
      select address from suppressions s
      where address = any($1::text[]) and not exists (
        select from happenings h where h.person_id = s.person_id and h.id = s.told_by and h.handled_at is null)`,
    values: [addresses]
  });
  return { people: [...people.values()], suppressed: new Set(rows.map((r) => r.address)), asks, refused };
}

const textOf = (value: FieldValue | undefined): string | null => (typeof value === 'string' ? value : null);

/** A walk whose plan asks what was done with its messages, and what. */
interface Reading {
  person: number;
  walk: number;
  names: ReadonlySet<string>;
}

/** Loads the walks that still hear of things; gives those whose plans ask what was done with their messages. */
async function loadWalks(
  db: Db,
  ids: number[],
  now: number,
  plans: PlanBook,
  of: (id: number) => LoadedPerson
): Promise<Reading[]> {
  const { rows } = await db.query<{
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
    more: Partial<Walk>;
    goal_reached: boolean;
    watch_until: number | null;
  }>({
    name: 'load-walks',
    text: `
      select person_id, id, journey_id, version, state, at_step, standing, due_at, begun_by, entered_at, ended_at,
        reason, more, goal_reached, watch_until
      from walks
      where person_id = any($1::bigint[])
        and (state = 'walking' or (watch_until >= $2 and not goal_reached))
      order by person_id, id`,
    values: [ids, ts(now)]
  });
  await plans.ensure(db, rows);
  const reading: Reading[] = [];
  for (const r of rows) {
    const walk = restoreWalk(
      {
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
        goalReached: r.goal_reached,
        goalUntil: r.watch_until
      },
      r.more
    );
    const person = of(r.person_id);
    person.walks.push(walk);
    person.state.walks.push(walk);
    const names = plans.reactionsRead(r.journey_id, r.version);
    if (names.size) reading.push({ person: r.person_id, walk: r.id, names });
  }
  return reading;
}

/** Only walks of plans that ask what people did with a message need that loaded: what was sent, and what came of it. */
async function loadReactions(
  db: Db,
  reading: Reading[],
  plans: PlanBook,
  of: (id: number) => LoadedPerson
): Promise<void> {
  const values = [reading.map((r) => r.person), reading.map((r) => r.walk)];
  const people = new Set(values[0]).size;
  const sent = await db.query<SentRow>({
    name: 'load-sent',
    text: `
      select m.person_id, m.walk_id, m.journey_id, m.step, m.visit, m.channel, m.address, m.created_at, m.record, m.service
      from unnest($1::bigint[], $2::integer[]) as w (person_id, id)
      cross join lateral (
        select * from messages m where m.person_id = w.person_id and m.walk_id = w.id offset 0
      ) m
      order by m.person_id, m.record`,
    values
  });
  for (const r of sent.rows) of(r.person_id).state.sent.push(sentOf(r, plans));
  const reactions = await db.query<HappeningRow>({
    name: 'load-reactions',
    text: `
      select h.person_id, h.id, h.name, h.at, h.walk_id, h.journey_id, h.step, h.record, h.data
      from unnest($1::bigint[], $2::integer[]) as w (person_id, id)
      -- Walk by walk, by its index: the limit keeps the planner from reading the table of a young workspace as a whole.
      cross join lateral (
        select * from happenings h
        where h.person_id = w.person_id and h.walk_id = w.id and h.step is not null and h.handled_at is not null
          and h.name = any($3::text[])
        order by h.record desc limit $4
      ) h
      limit $5`,
    values: [...values, [...new Set(reading.flatMap((r) => [...r.names]))], MOST_PAST.one, rowsOf(people)]
  });
  bounded(reactions.rows, people).sort((a, b) => (a.record ?? 0) - (b.record ?? 0));
  for (const r of reactions.rows) of(r.person_id).state.reactions.push(happeningOf(r, plans));
  if (!reading.some((r) => r.names.has('sent'))) return;
  for (const person of new Set(reading.map((r) => of(r.person)))) {
    const { reactions: found, sent: messages } = person.state;
    found.push(...messages.map(sentAsHappening));
    found.sort(byRecord);
  }
}

/** What people in journeys that are paused no more have not heard of yet. */
async function loadMissed(
  db: Db,
  people: readonly LoadedPerson[],
  plans: PlanBook
): Promise<{ person: LoadedPerson; input: Input }[]> {
  const missed = people.flatMap((person) =>
    [...(person.state.missed ?? [])].map(([journey, records]) => ({ person, journey, records }))
  );
  if (!missed.length) return [];
  const running = await db.query<{ key: string }>({
    name: 'running-journeys',
    text: `select key from journeys where key = any($1::text[]) and state in ('live', 'closing')`,
    values: [[...new Set(missed.map((m) => m.journey))]]
  });
  const wanted = missed.filter((m) => running.rows.some((r) => r.key === m.journey));
  if (!wanted.length) return [];
  const { rows } = await db.query<HappeningRow>({
    name: 'load-missed',
    text: `
      select h.person_id, h.id, h.name, h.at, h.walk_id, h.journey_id, h.step, h.record, h.data
      from unnest($1::bigint[], $2::bigint[]) as w (person_id, record)
      join happenings h on h.person_id = w.person_id and h.record = w.record`,
    values: [wanted.flatMap((m) => m.records.map(() => m.person.id)), wanted.flatMap((m) => m.records)]
  });
  await plans.name(
    db,
    rows.flatMap((r) => r.journey_id ?? [])
  );
  const found = new Map(rows.map((r) => [`${r.person_id}/${r.record}`, happeningOf(r, plans)]));
  return wanted.map(({ person, journey, records }) => ({
    person,
    input: { kind: 'resumed', journey, happened: records.flatMap((r) => found.get(`${person.id}/${r}`) ?? []) }
  }));
}

/** A change from outside, by present names: whoever asked for it may know a former one. */
function presentSet(data: Extract<Request, { kind: 'set' }>, names: Renamed): Input {
  const labels = (kind: 'tag' | 'list', of: string[]): string[] => of.map((name) => presentName(names, kind, name));
  const { fields, addTags, removeTags, addLists, removeLists, ...rest } = data;
  return {
    ...rest,
    ...(fields && {
      fields: Object.fromEntries(
        Object.entries(fields).map(([name, value]) => [presentName(names, 'field', name), value])
      )
    }),
    ...(addTags && { addTags: labels('tag', addTags) }),
    ...(removeTags && { removeTags: labels('tag', removeTags) }),
    ...(addLists && { addLists: labels('list', addLists) }),
    ...(removeLists && { removeLists: labels('list', removeLists) })
  };
}

/** Who says what is in the inbox: of an import or of many at once, which. */
const sayerOf = ({ source = '', source_id: id }: HappeningRow): string =>
  source === 'import' || source === 'crowd' ? `${source} ${(id ?? '').split('/')[0]}`.trim() : source;

/** An inbox row as the engine's input. @throws where a request has not its shape. */
function inputOf(r: HappeningRow, plans: PlanBook): Input {
  if (!isRequest(r.name)) return { kind: 'happening', happening: happeningOf(r, plans) };
  const request = readRequest(r.name, r.data);
  switch (request.kind) {
    case 'set':
      return presentSet(request, plans.names);
    case 'look':
      return request;
    case 'hurry':
      return { ...request, by: request.by ?? r.source ?? '' };
    case 'resumed':
      // It only wakes them: what was missed has come before.
      return { ...request, happened: [] };
    case 'move': {
      const { id: _, ...move } = request;
      return move;
    }
    default:
      return request;
  }
}
