/**
 * One batch: claim people, load them, run the core over each, write everything,
 * in one transaction. Killed anywhere, all of it happened or none of it. Someone
 * whose work fails is set aside, and the others go on.
 */
import { Agenda, datedPlans, type Course } from '../../core/person/agenda.ts';
import type { JourneyPlan } from '../../core/journey/compile.ts';
import type { Happening } from '../../core/person/happening.ts';
import { keepUp } from '../../core/person/joining.ts';
import type { Recorder } from '../../core/person/world.ts';
import { heardBy, rebuild, type Past } from '../../core/engagement/rebuild.ts';
import { beginDecay } from '../../core/engagement/scores.ts';
import { withSubject } from '../../core/person/subject.ts';
import { keepWalk } from '../../core/walk/kept.ts';
import { holdClock, readClock } from '../workspace/clock.ts';
import { changed, notify } from '../db/notify.ts';
import { isNobodysFault, transaction, ts, type Db, type Pool } from '../db/pool.ts';
import { BATCHES_LOCK, claimAside, claimPeople, claimThese } from './claim.ts';
import { tellRefused } from './load-addresses.ts';
import { loadPast } from './past.ts';
import { loadPeople } from './load.ts';
import type { InboxItem, LoadedPerson } from './loaded.ts';
import type { PlanBook } from './plans.ts';
import { modelsSince, type SharedSettings } from '../workspace/settings.ts';
import { DrawsBook, WinnerDue } from './draws.ts';
import { liveWorld } from './world.ts';
import { countedOf } from './count.ts';
import { emptyRecord, type BatchRecord, type Standpoint } from './record.ts';
import { isDoing, saveBatch, stepOf, walks } from './save.ts';
import { isAnyoneDue, setAside, takeBack, type Failure } from './set-aside.ts';

export interface BatchResult {
  /** People worked on; 0 means that nothing was due. */
  people: number;
  /** Steps and other trail lines written. */
  lines: number;
  messages: number;
}

const NONE_DUE: ReadonlySet<string> = new Set();
const NOTHING: BatchResult = { people: 0, lines: 0, messages: 0 };
const both = (a: BatchResult, b: BatchResult): BatchResult => ({
  people: a.people + b.people,
  lines: a.lines + b.lines,
  messages: a.messages + b.messages
});

/** Works on up to about `most` people with something due, and on one who was set aside and is due for another try. */
export async function runBatch(pool: Pool, plans: PlanBook, most = 500): Promise<BatchResult> {
  await holdClock(pool);
  const done = await batchOf(pool, plans, (db, now) => claimPeople(db, now, most));
  if (!(await isAnyoneDue(pool))) return done;
  // One thing at a time: what went well is done, and the first that waits is the one that fails.
  const again = await batchOf(
    pool,
    plans,
    async (db) => {
      const person = await claimAside(db);
      return person === null ? [] : [person];
    },
    NONE_DUE,
    1
  );
  return both(done, again);
}

/** How often an address that was taken in between is looked for again. */
const MOST_TRIES = 3;
/** Two people cannot share an address (unique_violation). */
const isAddressTaken = (error: unknown): boolean => {
  const { code, constraint = '' } = (error ?? {}) as { code?: string; constraint?: string };
  return code === '23505' && /^people_(email|phone)$/.test(constraint);
};

/** A batch of those whom `claim` gives. One that fails is tried again in halves, down to one person, who is set aside. */
async function batchOf(
  pool: Pool,
  plans: PlanBook,
  claim: (db: Db, now: number) => Promise<number[]>,
  due: ReadonlySet<string> = NONE_DUE,
  each?: number,
  tries = 0
): Promise<BatchResult> {
  let ids: number[] = [];
  try {
    return await transaction(pool, async (db) => {
      await db.query({ name: 'batch-begins', text: 'select pg_advisory_xact_lock_shared($1)', values: [BATCHES_LOCK] });
      const { now, zone } = await readClock(db);
      ids = await claim(db, now);
      return ids.length ? workOn(db, plans, ids, now, zone, due, each) : NOTHING;
    });
  } catch (error) {
    if (error instanceof WinnerDue && !due.has(error.split))
      return batchOf(pool, plans, claim, new Set([...due, error.split]), each, tries);
    // Somebody came by an address in the very moment: seen, it is left out.
    if (isAddressTaken(error) && tries < MOST_TRIES)
      return batchOf(pool, plans, (db) => claimThese(db, ids), due, each, tries + 1);
    if (isNobodysFault(error) || !ids.length) throw error;
    const [person] = ids;
    if (ids.length === 1 && person !== undefined) {
      await transaction(pool, (db) => setAside(db, [{ person, error }]));
      await changed(pool, { people: [person], post: true });
      return { ...NOTHING, people: 1 };
    }
    const middle = Math.ceil(ids.length / 2);
    const half = (some: number[]): Promise<BatchResult> =>
      batchOf(pool, plans, (db) => claimThese(db, some), due, each, tries);
    return both(await half(ids.slice(0, middle)), await half(ids.slice(middle)));
  }
}

async function workOn(
  db: Db,
  plans: PlanBook,
  ids: number[],
  now: number,
  zone: string,
  due: ReadonlySet<string>,
  each?: number
): Promise<BatchResult> {
  const live = await plans.live(db);
  const paused = await plans.paused(db);
  const entering = live.map((l) => l.plan);
  const shared = await plans.settings.read(db);
  const loaded = await loadPeople(db, ids, now, plans, [...entering, ...paused.values()], shared.workspace, each);
  const { people } = loaded;
  const pasts = await loadPasts(db, people, plans, shared);
  const followed = people.flatMap((p) => p.walks.flatMap((w) => plans.followed(w)));
  const splits = plans.winnerSplits([...live.map((l) => [l.journeyId, l.plan] as [number, JourneyPlan]), ...followed]);
  const draws = await DrawsBook.read(db, plans, splits, due);
  const world = liveWorld({
    entering,
    plans,
    paused,
    loaded,
    workspace: shared.workspace,
    draws: draws.of,
    since: new Map(live.map((l) => [l.plan.key, l.since]))
  });
  const dated = live.flatMap(({ plan, since }) => datedPlans([plan], since));
  const course: Course = { world, from: -Infinity, until: now, dated, present: now };
  const current = new Map(entering.map((plan) => [plan.key, plan.version]));
  const batch = emptyRecord();
  const failed: Failure[] = [];
  for (const person of people) {
    try {
      append(batch, runPerson(person, course, current, plans, now, shared, pasts));
    } catch (error) {
      if (error instanceof WinnerDue) throw error;
      // Nothing of this person's work is kept; whatever is wrong with them is nobody else's matter.
      failed.push({ person: person.id, error });
    }
  }
  await saveBatch(db, plans, batch, zone);
  await tellRefused(db, loaded.refused, ts(now) ?? '');
  await draws.save(
    db,
    now,
    failed.map((f) => f.person)
  );
  const fine = people.filter((p) => !failed.some((f) => f.person === p.id)).map((p) => p.id);
  await takeBack(db, fine);
  await setAside(db, failed);
  if (batch.messages.length) await notify(db, 'outbox');
  const journeys = [
    ...batch.trail.map((t) => plans.idOf(t.line.journey)),
    ...batch.begun.map((b) => plans.idOf(b.walk.journey))
  ];
  await changed(db, { journeys, people: ids, post: failed.length > 0 || batch.errands.length > 0 });
  return { people: people.length, lines: batch.trail.length, messages: batch.messages.length };
}

function append(batch: BatchRecord, more: BatchRecord): void {
  const add = <K extends keyof BatchRecord>(key: K): void => {
    for (const one of more[key]) (batch[key] as unknown[]).push(one);
  };
  for (const key of Object.keys(more) as (keyof BatchRecord)[]) add(key);
}

/** Of those whose points and rungs are behind a change of models: what is on record. */
async function loadPasts(
  db: Db,
  people: readonly LoadedPerson[],
  plans: PlanBook,
  shared: SharedSettings
): Promise<Map<number, Past[]>> {
  const behind = people.filter((p) => p.state.scored < shared.engagement && p.worked !== -Infinity);
  if (!behind.length) return new Map();
  const oldest = Math.min(...behind.map((p) => p.state.scored));
  return loadPast(
    db,
    behind.map((p) => p.id),
    heardBy(shared.workspace, modelsSince(shared, oldest)),
    plans
  );
}

/** Works one person's due things off; gives all that is to be written. */
function runPerson(
  person: LoadedPerson,
  course: Course,
  current: Map<string, number>,
  plans: PlanBook,
  now: number,
  shared: SharedSettings,
  pasts: ReadonlyMap<number, Past[]>
): BatchRecord {
  // With more than one thing waiting, those before it are done when it is tried by itself.
  if (person.broken) throw person.broken;
  const batch = emptyRecord();
  // A walk can go on in another version meanwhile.
  const versions = new Map<number, { readonly version: number }>(person.walks.map((w) => [w.id, w]));
  // Most claims touch one walk of several; a walk that did not change is not written.
  const before = new Map(
    person.walks.map((w) => [w, { kept: JSON.stringify(keepWalk(w)), counted: countedOf(w, stepOf(plans, w)) }])
  );
  const walked = walks(person.state);
  const scores = new Map(person.state.scores);
  let did: Standpoint['did'] = null;
  let source = 'engine';
  let wording: string | null = null;
  let given: Happening | null = null;
  let taken: InboxItem | null = null;
  const versionOf = (walk: number | null, journey: string): number =>
    (walk === null ? undefined : versions.get(walk)?.version) ?? current.get(journey) ?? 0;
  const recorder: Recorder = {
    walk(walk) {
      versions.set(walk.id, walk);
      batch.begun.push({ person: person.id, walk });
    },
    trail: (line) =>
      void batch.trail.push({
        person: person.id,
        version: versionOf(line.walk, line.journey),
        record: person.state.order,
        line
      }),
    happening(happening, fromInbox) {
      // What was given stands in the inbox already; it is marked as handled, with what it turned out to be about.
      if (fromInbox) given = happening;
      else {
        // What a walk set off says so by its cause.
        const by = taken?.input.kind === 'set' && happening.cause === undefined ? { by: taken.by } : {};
        batch.happenings.push({ person: person.id, happening, ...by });
      }
    },
    message: (message, address) =>
      void batch.messages.push({
        person: person.id,
        version: versionOf(message.walk, message.journey),
        message,
        address
      }),
    errand: (errand) =>
      void batch.errands.push({ person: person.id, version: versionOf(errand.walk, errand.journey), errand }),
    change: (change) =>
      void batch.changes.push({ person: person.id, at: agenda.position().worked, change, source, wording })
  };

  const finish = (): void => {
    if (taken && taken.id !== null)
      batch.handled.push({
        person: person.id,
        id: taken.id,
        at: agenda.position().worked,
        message: taken.message,
        given,
        // A look at someone is nothing that happened: kept, it would be a row a person a day.
        kept: taken.input.kind !== 'look'
      });
    if (given && isDoing(given)) did = { name: given.name, at: given.at };
    taken = given = wording = null;
    source = 'engine';
  };
  // With more waiting than was loaded, nothing behind the last of it may be done yet.
  const last = person.more ? (person.inbox.at(-1)?.at ?? now) : now;
  const agenda = new Agenda(
    // A clock that was set back does not hold up what was worked at before.
    { ...course, until: Math.max(last, person.worked) },
    person.state,
    // Nothing came of anything before someone was there.
    {
      worked: person.worked === -Infinity ? Math.min(person.inbox[0]?.at ?? now, now) : person.worked,
      midnight: Infinity,
      existing: []
    },
    person.inbox,
    recorder,
    (item) => {
      finish();
      taken = item;
      source = item.input.kind === 'happening' ? item.input.happening.name : item.input.kind;
      if (item.input.kind === 'set' && item.input.proof) ({ source, wording } = item.input.proof);
      return withSubject(item.input, item.of, person.state, course.world.plans);
    }
  );
  const past = pasts.get(person.id);
  if (past)
    rebuild(
      shared.workspace,
      person.state,
      past,
      modelsSince(shared, person.state.scored),
      // What a change of a ladder alone brings about, until now, is nothing that happens.
      Math.max(now, person.worked)
    );
  person.state.scored = shared.engagement;
  beginDecay(shared.workspace, person.state, shared.since);
  keepUp(
    course.world,
    person.state,
    { number: shared.segments, since: shared.since },
    { came: person.since, at: agenda.position().worked },
    recorder
  );
  for (let at = agenda.next(); at !== Infinity; at = agenda.next()) {
    agenda.work(at);
    finish();
  }
  for (const [walk, was] of before)
    if (JSON.stringify(keepWalk(walk)) !== was.kept) batch.moved.push({ person: person.id, walk, before: was.counted });
  const next = agenda.nextByClock();
  // Decay is taken off when somebody looks, which is no happening.
  for (const [name, points] of person.state.scores)
    if (scores.get(name) !== points) recorder.change({ fact: 'score', name, points });
  const { worked } = agenda.position();
  batch.agendas.push({
    person: person.id,
    next: next === Infinity ? null : next,
    worked: worked === -Infinity ? now : worked,
    state: person.state,
    did,
    walked
  });
  return batch;
}
