/** Writes all that a batch changed, in set statements. The caller holds the transaction. */
import { END } from '../../core/walk/plan.ts';
import type { Happening } from '../../core/person/happening.ts';
import { keepHappening, keepState } from '../../core/person/kept.ts';
import type { PersonState } from '../../core/person/state.ts';
import { keepWalk } from '../../core/walk/kept.ts';
import type { Walk } from '../../core/walk/walk.ts';
import { columns } from '../db/columns.ts';
import { countedOf, Counts, type Counted } from './count.ts';
import { ts, type Db } from '../db/pool.ts';
import type { PlanBook } from './plans.ts';
import type { Step } from '../../core/steps/index.ts';
import type { BatchRecord } from './record.ts';
import { saveErrands } from './save-errands.ts';
import { saveFacts } from './save-facts.ts';

/** `zone`: the workspace's, in which days are counted. */
export async function saveBatch(db: Db, plans: PlanBook, batch: BatchRecord, zone: string): Promise<void> {
  const counts = countBatch(plans, batch, zone);
  await saveWalks(db, plans, batch);
  await saveTrail(db, plans, batch);
  await saveHappenings(db, plans, batch);
  await saveMessages(db, plans, batch);
  await saveErrands(db, plans, batch, zone);
  await saveFacts(db, batch);
  await saveAgendas(db, batch);
  await saveReactions(db, batch, counts);
  await counts.save(db);
}

/** The step a walk is at, by its key; `null` at the end. */
export function stepOf(plans: PlanBook, walk: Walk): string | null {
  return walk.at === END
    ? null
    : (plans.plan(plans.idOf(walk.journey), walk.version).instructions[walk.at]?.step.key ?? null);
}

/** What a batch adds to the figures. */
function countBatch(
  plans: PlanBook,
  { begun, moved, trail, happenings, handled, agendas, changes }: BatchRecord,
  zone: string
): Counts {
  const counts = new Counts(zone);
  for (const { version, line } of trail) counts.line(plans.idOf(line.journey), version, line);
  const walk = (w: Walk, before: Counted | null): void =>
    counts.walk(plans.idOf(w.journey), before, countedOf(w, stepOf(plans, w)), w.enteredAt);
  for (const b of begun) walk(b.walk, null);
  for (const m of moved) walk(m.walk, m.before);
  for (const { happening: h } of happenings) {
    if (h.name === 'sent') counts.flow(h.at, h.channel ?? 'email');
    else if (h.name === 'entered' || h.name === 'goal_reached') counts.flow(h.at, h.name);
  }
  for (const { given } of handled)
    if (given && DID.has(given.name) && !given.machine) counts.flow(given.at, given.name);
  for (const { at, change } of changes)
    if (change.fact === 'tag' || change.fact === 'list' || change.fact === 'segment')
      counts.label(at, change.fact, change.name, change.on);
  for (const { state, walked } of agendas) counts.flowNow('walkers', Number(walks(state)) - Number(walked));
  return counts;
}

/** What people do themselves, and what comes back for them. */
const DID = new Set(['opened', 'clicked', 'replied', 'unsubscribed', 'bounced', 'purchased']);
export const isDoing = (h: Happening): boolean => DID.has(h.name) && h.name !== 'bounced' && !h.machine;
export const walks = (state: PersonState): boolean => state.walks.some((w) => w.state === 'walking');

const REACTIONS = ['opened', 'clicked', 'replied'] as const;

/** Notes on messages who first opened, followed a link, answered; each is counted once a message. */
async function saveReactions(db: Db, { handled }: BatchRecord, counts: Counts): Promise<void> {
  for (const name of REACTIONS) {
    const rows = handled.flatMap(({ person, message, given: h }) =>
      h?.name === name && h.about && !h.machine
        ? [{ person, message, walk: h.about.walk, step: h.about.step, at: ts(h.at) }]
        : []
    );
    if (!rows.length) continue;
    const { rows: first } = await db.query<{ journey_id: number; version: number; step: string; at: number }>({
      name: `first-${name}`,
      text: `
        update messages m
        set ${name}_at = t.at
        from (
          select person_id, walk_id, step, message_id, min(at) as at
          from unnest($1::bigint[], $2::integer[], $3::text[], $4::bigint[], $5::timestamptz[])
            as u (person_id, walk_id, step, message_id, at)
          group by 1, 2, 3, 4
        ) t
        where m.person_id = t.person_id and m.walk_id = t.walk_id and m.step = t.step
          and (t.message_id is null or m.id = t.message_id) and m.${name}_at is null
        returning m.journey_id, m.version, m.step, m.${name}_at as at`,
      values: columns(rows, ['person', 'walk', 'step', 'message', 'at'])
    });
    for (const r of first) counts.happened(r.journey_id, r.version, r.at, r.step, name);
  }
}

/** Where everyone stands: when there is next something to do, and what has no table of its own. */
async function saveAgendas(db: Db, { agendas }: BatchRecord): Promise<void> {
  if (!agendas.length) return;
  await db.query({
    name: 'save-agendas',
    text: `
      insert into agenda as a (person_id, next_at, worked_at, state, walking, did, did_at)
      select * from unnest($1::bigint[], $2::timestamptz[], $3::timestamptz[], $4::jsonb[], $5::integer[], $6::text[],
        $7::timestamptz[])
      on conflict (person_id) do update
      set next_at = excluded.next_at, worked_at = excluded.worked_at, state = excluded.state, walking = excluded.walking,
        did = coalesce(excluded.did, a.did), did_at = coalesce(excluded.did_at, a.did_at)`,
    values: columns(
      agendas.map(({ person, next, worked, state, did }) => ({
        person,
        next: ts(next),
        worked: ts(worked),
        state: JSON.stringify(keepState(state)),
        walking: state.walks.filter((w) => w.state === 'walking').length,
        did: did?.name ?? null,
        didAt: ts(did?.at ?? null)
      })),
      ['person', 'next', 'worked', 'state', 'walking', 'did', 'didAt']
    )
  });
}

const WALK_COLUMNS = [
  'person_id',
  'id',
  'journey_id',
  'version',
  'state',
  'at_step',
  'step',
  'standing',
  'due_at',
  'begun_by',
  'entered_at',
  'ended_at',
  'reason',
  'more',
  'goal_reached',
  'watch_until'
] as const;

function walkRow(
  plans: PlanBook,
  { person, walk }: { person: number; walk: Walk }
): Record<(typeof WALK_COLUMNS)[number], unknown> {
  const journeyId = plans.idOf(walk.journey);
  const step = stepOf(plans, walk);
  return {
    person_id: person,
    id: walk.id,
    journey_id: journeyId,
    version: walk.version,
    state: walk.state,
    at_step: walk.at,
    step,
    standing: walk.standing?.kind ?? null,
    due_at: ts(walk.standing?.until ?? null),
    begun_by: walk.by,
    entered_at: ts(walk.enteredAt),
    ended_at: ts(walk.endedAt),
    reason: walk.reason,
    more: JSON.stringify(keepWalk(walk).more),
    goal_reached: walk.goalReached,
    watch_until: ts(walk.goalUntil)
  };
}

async function saveWalks(db: Db, plans: PlanBook, batch: BatchRecord): Promise<void> {
  if (batch.begun.length) {
    await db.query({
      name: 'begin-walks',
      text: `
        insert into walks (${WALK_COLUMNS.join(', ')})
        select * from unnest(
          $1::bigint[], $2::integer[], $3::bigint[], $4::integer[], $5::text[], $6::integer[], $7::text[], $8::text[],
          $9::timestamptz[], $10::text[], $11::timestamptz[], $12::timestamptz[], $13::text[], $14::jsonb[],
          $15::boolean[], $16::timestamptz[])`,
      values: columns(
        batch.begun.map((w) => walkRow(plans, w)),
        WALK_COLUMNS
      )
    });
  }
  if (batch.moved.length) {
    const changing = [
      'person_id',
      'id',
      'version',
      'state',
      'at_step',
      'step',
      'standing',
      'due_at',
      'ended_at',
      'reason',
      'more',
      'goal_reached'
    ] as const;
    await db.query({
      name: 'move-walks',
      text: `
        update walks w
        set version = m.version, state = m.state, at_step = m.at_step, step = m.step, standing = m.standing, due_at = m.due_at,
          ended_at = m.ended_at, reason = m.reason, more = m.more, goal_reached = m.goal_reached
        from unnest($1::bigint[], $2::integer[], $3::integer[], $4::text[], $5::integer[], $6::text[], $7::text[],
          $8::timestamptz[], $9::timestamptz[], $10::text[], $11::jsonb[], $12::boolean[])
          as m (person_id, id, version, state, at_step, step, standing, due_at, ended_at, reason, more, goal_reached)
        where w.person_id = m.person_id and w.id = m.id`,
      values: columns(
        batch.moved.map((w) => walkRow(plans, w)),
        changing
      )
    });
  }
}

async function saveTrail(db: Db, plans: PlanBook, { trail }: BatchRecord): Promise<void> {
  if (!trail.length) return;
  await db.query({
    name: 'save-trail',
    text: `
      insert into trail (person_id, walk_id, journey_id, version, at, step, what, detail, record)
      select person_id, walk_id, journey_id, version, at, step, what, detail, record
      from unnest($1::bigint[], $2::integer[], $3::bigint[], $4::integer[], $5::timestamptz[], $6::text[], $7::text[],
        $8::jsonb[], $9::bigint[]) with ordinality
        as t (person_id, walk_id, journey_id, version, at, step, what, detail, record, place)
      order by place`,
    values: columns(
      trail.map(({ person, version, record, line }) => ({
        person,
        walk: line.walk,
        journey: plans.idOf(line.journey),
        version,
        at: ts(line.at),
        step: line.step,
        what: line.what,
        detail: JSON.stringify(line.detail),
        record
      })),
      ['person', 'walk', 'journey', 'version', 'at', 'step', 'what', 'detail', 'record']
    )
  });
}

async function saveHappenings(db: Db, plans: PlanBook, { happenings: all, handled }: BatchRecord): Promise<void> {
  // What was sent stands in messages, and is read from there.
  const happenings = all.filter(({ happening }) => happening.name !== 'sent');
  const gone = handled.filter((h) => !h.kept);
  if (gone.length) {
    await db.query({
      name: 'drop-handled',
      text: `delete from happenings h using unnest($1::bigint[], $2::bigint[]) as t (person_id, id)
        where h.person_id = t.person_id and h.id = t.id`,
      values: columns(gone, ['person', 'id'])
    });
  }
  const remembered = handled.filter((h) => h.kept);
  if (remembered.length) {
    await db.query({
      name: 'mark-handled',
      text: `
        update happenings h
        set handled_at = t.at, record = t.record, walk_id = coalesce(t.walk_id, h.walk_id),
          journey_id = coalesce(t.journey_id, h.journey_id), step = coalesce(t.step, h.step)
        from unnest($1::bigint[], $2::bigint[], $3::timestamptz[], $4::bigint[], $5::integer[], $6::bigint[], $7::text[])
          as t (person_id, id, at, record, walk_id, journey_id, step)
        where h.person_id = t.person_id and h.id = t.id`,
      values: columns(
        remembered.map(({ person, id, at, given }) => ({
          person,
          id,
          at: ts(at),
          record: given?.record ?? null,
          walk: given?.about?.walk ?? null,
          journey: given?.about?.journey ? plans.idOf(given.about.journey) : null,
          step: given?.about?.step ?? null
        })),
        ['person', 'id', 'at', 'record', 'walk', 'journey', 'step']
      )
    });
  }
  if (!happenings.length) return;
  await db.query({
    name: 'save-happenings',
    text: `
      insert into happenings (person_id, name, at, source, walk_id, journey_id, step, record, data, handled_at)
      select person_id, name, at, 'engine', walk_id, journey_id, step, record, data, at
      from unnest($1::bigint[], $2::text[], $3::timestamptz[], $4::integer[], $5::bigint[], $6::text[], $7::bigint[],
        $8::jsonb[]) with ordinality as t (person_id, name, at, walk_id, journey_id, step, record, data, place)
      order by place`,
    values: columns(
      happenings.map(({ person, happening, by }) => {
        const { name, at, about, record, data } = keepHappening(happening);
        const journey = about?.journey ?? data.journey;
        return {
          person,
          name,
          at: ts(at),
          walk: about?.walk ?? null,
          journey: journey ? plans.idOf(journey) : null,
          step: about?.step ?? null,
          record,
          data: JSON.stringify(by === undefined ? data : { ...data, by })
        };
      }),
      ['person', 'name', 'at', 'walk', 'journey', 'step', 'record', 'data']
    )
  });
}

async function saveMessages(db: Db, plans: PlanBook, { messages }: BatchRecord): Promise<void> {
  if (!messages.length) return;
  await db.query({
    name: 'save-messages',
    text: `
      insert into messages (person_id, walk_id, journey_id, version, step, visit, channel, address, created_at, try_at,
        record, service, thread)
      select person_id, walk_id, journey_id, version, step, visit, channel, address, at, at, record, service, thread
      from unnest($1::bigint[], $2::integer[], $3::bigint[], $4::integer[], $5::text[], $6::integer[], $7::text[],
        $8::text[], $9::timestamptz[], $10::bigint[], $11::boolean[], $12::text[]) with ordinality
        as t (person_id, walk_id, journey_id, version, step, visit, channel, address, at, record, service, thread, place)
      order by place`,
    values: columns(
      messages.map(({ person, version, message: m, address }) => ({
        person,
        walk: m.walk,
        journey: plans.idOf(m.journey),
        version,
        step: m.step,
        visit: m.visit,
        channel: m.channel,
        address,
        at: ts(m.at),
        record: m.order,
        service: m.service ?? false,
        thread: threadOf(plans.plan(plans.idOf(m.journey), version).byKey.get(m.step)?.step)
      })),
      [
        'person',
        'walk',
        'journey',
        'version',
        'step',
        'visit',
        'channel',
        'address',
        'at',
        'record',
        'service',
        'thread'
      ]
    )
  });
}

const threadOf = (step: Step | undefined): string | null => (step?.kind === 'email' ? (step.thread ?? null) : null);
