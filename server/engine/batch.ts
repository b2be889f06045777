/**
 * One batch: claim people, load them, run the core over each, write everything,
 * in one transaction. Killed anywhere, all of it happened or none of it.
 */
import { nextDue } from '../../core/person/due.ts';
import { PersonRun } from '../../core/person/run.ts';
import type { Recorder, World } from '../../core/person/world.ts';
import { MINUTE } from '../../core/time/duration.ts';
import { readClock } from '../clock/clock.ts';
import { notify } from '../db/notify.ts';
import { transaction, type Pool } from '../db/pool.ts';
import { claimPeople } from './claim.ts';
import { loadPeople, type LoadedPerson } from './load.ts';
import type { LivePlan, PlanBook } from './plans.ts';
import { liveWorld } from './world.ts';
import { saveBatch, type BatchRecord } from './save.ts';

export interface BatchResult {
  /** People worked on; 0 means that nothing was due. */
  people: number;
  /** Steps and other trail lines written. */
  lines: number;
  messages: number;
}

/**
 * A timer that fires this late was not merely busy but down; then the present
 * counts, so that nothing goes out at three in the morning because it should
 * have gone at nine. See docs/decisions/late-timers.md.
 */
const LATE = 15 * MINUTE;

/** Works on up to about `most` people with something due. */
export async function runBatch(pool: Pool, plans: PlanBook, most = 500): Promise<BatchResult> {
  return transaction(pool, async (db) => {
    const { now, zone } = await readClock(db);
    const ids = await claimPeople(db, now, most);
    if (!ids.length) return { people: 0, lines: 0, messages: 0 };
    const live = await plans.live(db);
    const { people, suppressed } = await loadPeople(db, ids, now, plans);
    const batch = runPeople(people, live, plans, suppressed, zone, now);
    await saveBatch(db, plans, batch);
    if (batch.messages.length) await notify(db, 'outbox');
    await notify(db, 'changed');
    return { people: people.length, lines: batch.trail.length, messages: batch.messages.length };
  });
}

function runPeople(
  people: LoadedPerson[],
  live: LivePlan[],
  plans: PlanBook,
  suppressed: Set<string>,
  zone: string,
  now: number
): BatchRecord {
  const batch: BatchRecord = {
    begun: [],
    moved: [],
    trail: [],
    happenings: [],
    messages: [],
    changes: [],
    handled: []
  };
  const world = liveWorld(
    live.map((l) => l.plan),
    plans,
    suppressed,
    zone
  );
  const current = new Map(live.map((l) => [l.plan.key, l.plan.version]));
  for (const person of people) runPerson(person, world, current, now, batch);
  return batch;
}

function runPerson(
  person: LoadedPerson,
  world: World,
  current: Map<string, number>,
  now: number,
  batch: BatchRecord
): void {
  const versions = new Map<number, number>(person.walks.map((w) => [w.id, w.version]));
  // Most claims touch one walk of several; a walk that did not change is not written.
  const before = new Map(person.walks.map((w) => [w, JSON.stringify(w)]));
  let source = 'engine';
  let at = now;
  const versionOf = (walk: number | null, journey: string): number =>
    (walk === null ? undefined : versions.get(walk)) ?? current.get(journey) ?? 0;
  const recorder: Recorder = {
    walk(walk) {
      versions.set(walk.id, walk.version);
      batch.begun.push({ person: person.id, walk });
    },
    trail: (line) => void batch.trail.push({ person: person.id, version: versionOf(line.walk, line.journey), line }),
    happening(happening, given) {
      // What was given stands in the inbox already; it is marked as handled.
      if (!given) batch.happenings.push({ person: person.id, happening });
    },
    message: (message, address) =>
      void batch.messages.push({
        person: person.id,
        version: versionOf(message.walk, message.journey),
        message,
        address
      }),
    change: (change) => void batch.changes.push({ person: person.id, at, change, source })
  };
  const inbox = [...person.inbox];
  for (;;) {
    const item = inbox[0];
    const due = nextDue(person.state);
    const timer = due !== null && due <= now ? due : null;
    if (item && (timer === null || item.at <= timer)) {
      inbox.shift();
      at = Math.min(item.at, now);
      source = item.input.kind === 'happening' ? item.input.happening.name : item.input.kind;
      new PersonRun(world, person.state, at, recorder).input(item.input);
      batch.handled.push({ person: person.id, id: item.id, at });
    } else if (timer !== null) {
      at = now - timer > LATE ? now : timer;
      source = 'engine';
      new PersonRun(world, person.state, at, recorder).timers();
    } else break;
  }
  for (const [walk, was] of before) if (JSON.stringify(walk) !== was) batch.moved.push({ person: person.id, walk });
}
