/**
 * What setting a journey live would do, in numbers. Who would be let in is asked of the engine's own rules, person by person
 * as they stand now; of very many, of so many of them as a page can wait for, and said as an estimate.
 */
import { findingId, type Finding } from '../../core/check/index.ts';
import { setsOff } from '../../core/check/hand-over.ts';
import { eachStep } from '../../core/journey/walk-document.ts';
import type { PersonState } from '../../core/person/state.ts';
import type { Channel } from '../../core/person/values.ts';
import type { Settings } from '../../core/settings/schema.ts';
import { firstDays, type DayVolume } from '../../core/replay/first-week.ts';
import { isMessage, isOff } from '../../core/steps/index.ts';
import { compile, type JourneyPlan } from '../../core/journey/compile.ts';
import type { Journey } from '../../core/journey/schema.ts';
import { newWalk, refusalOf } from '../../core/person/entering.ts';
import { placeIn } from '../../core/person/moving.ts';
import { addressOf } from '../../core/person/state.ts';
import { chance } from '../../core/walk/chance.ts';
import { zoneOf } from '../../core/walk/surroundings.ts';
import { now } from '../workspace/clock.ts';
import { countExisting, existingIds } from '../crowds/crowds.ts';
import type { Db, Pool } from '../db/pool.ts';
import { acceptedIn, type Accepted } from './accepted.ts';
import { aroundOf, lackingFields } from './around.ts';
import { loadPeople } from '../engine/load.ts';
import { PlanBook } from '../engine/plans.ts';
import { allFindings } from './going-live.ts';

export interface Review {
  findings: Finding[];
  /** People who enter at the moment of going live, or when it opens. */
  enterNow: number;
  /** People who have what it starts from. */
  matching: number;
  /** Of those: who can be reached by each channel, and who is held out. */
  byEmail: number;
  bySms: number;
  heldOut: number;
  /** Of those who enter, whom the first message does not reach, by reason; and whom it does. */
  first: {
    channel: Channel;
    unreached: { reason: 'no address' | 'no consent' | 'suppressed'; people: number }[];
    reached: number;
  } | null;
  /** What goes out in the first week: to those who enter now, or to `volumeOf` people where nobody does. */
  volume: DayVolume[];
  volumeOf: number;
  /** Other journeys that this one lets people into, and those it takes them from. */
  setsOff: { key: string; name: string; live: boolean }[];
  takesFrom: { key: string; name: string }[] | 'others';
  /** Findings that somebody has accepted, with the reason. */
  accepted: (Accepted & { finding: Finding })[];
  /** Who has what the journey starts from, but does not enter now, by reason. */
  kept: { reason: string; people: number }[];
  /** Of so many people the figures were found, where there are too many to ask of everyone; else `null`. */
  estimatedFrom: number | null;
  /** People inside an earlier version. */
  insideEarlier: number;
  /** Of those: on which steps they stand that the new version does not have. */
  cannotMove: { step: string; people: number }[];
  nextVersion: number;
}

/** More than these are not asked for a page. */
const MOST_ASKED = 5000;
const PART = 500;
/** So many are played through for the volume of the first week. */
const MOST_PLAYED = 500;

const plans = new PlanBook();

/** What going live would do now. */
export async function review(db: Pool, journeyId: number, document: Journey): Promise<Review> {
  const { rows } = await db.query<{ next: number }>(
    `select coalesce((select max(number) from versions where journey_id = $1), 0) + 1 as next`,
    [journeyId]
  );
  const nextVersion = rows[0]?.next ?? 1;
  const plan = compile(document, nextVersion);
  const [entering, inside, around, lacking, accepted] = await Promise.all([
    whoEnters(db, plan),
    whoIsInside(db, journeyId, plan),
    aroundOf(db, document.key),
    lackingFields(db, document),
    acceptedIn(db, journeyId)
  ]);
  const all = await allFindings(db, document, { ...around, ...lacking });
  const reasonFor = (f: Finding): Accepted | undefined =>
    f.severity === 'blocker' ? undefined : accepted[findingId(f)];
  const { states, ...figures } = entering;
  // Where nobody enters now, of a hundred like those that are here.
  const some = states.length ? states : await likely(db, plan);
  const to = states.length ? figures.enterNow - figures.heldOut : 100;
  const at = Math.max(await now(db), plan.entry.opens);
  const settings = around.settings ?? null;
  const { volume, played } = await playedThrough(document, some, settings, at);
  const grow = played ? to / played : 0;
  const bigger = ([low, high]: [number, number]): [number, number] => [Math.round(low * grow), Math.round(high * grow)];
  const journeys = around.journeys ?? [];
  const withdrawn = eachStep(document).flatMap(({ step }) => (step.kind === 'withdraw' ? [step.from] : []));
  return {
    findings: all.filter((f) => !reasonFor(f)),
    accepted: all.flatMap((finding) => {
      const why = reasonFor(finding);
      return why ? [{ finding, ...why }] : [];
    }),
    ...figures,
    ...inside,
    volume: volume.map(({ day, email, sms }) => ({ day, email: bigger(email), sms: bigger(sms) })),
    volumeOf: played ? to : 0,
    setsOff: setsOff(document, journeys).flatMap((key) => {
      const found = journeys.find((j) => j.key === key);
      return found ? [{ key, name: found.name, live: found.live }] : [];
    }),
    takesFrom: withdrawn.includes('others')
      ? 'others'
      : journeys.filter((j) => withdrawn.some((from) => from.includes(j.key))).map(({ key, name }) => ({ key, name })),
    nextVersion
  };
}

/** People played through between two looks at the clock, and how long that may go on, ms: everybody else is waiting meanwhile. */
const PLAYED_AT_ONCE = 20;
const PLAYED_FOR_MS = 2000;

/** The first week of as many of these people as there is time for. */
async function playedThrough(
  document: Journey,
  people: readonly PersonState[],
  settings: Settings | null,
  at: number
): Promise<{ volume: DayVolume[]; played: number }> {
  const until = Date.now() + PLAYED_FOR_MS;
  let volume: DayVolume[] = [];
  let played = 0;
  while (played < people.length && (played === 0 || Date.now() < until)) {
    const part = people.slice(played, played + (played === 0 ? 1 : PLAYED_AT_ONCE));
    const days = firstDays(document, part, settings, at);
    const sum = ([a, b]: [number, number], [c, d]: [number, number]): [number, number] => [a + c, b + d];
    volume = days.map((d, i) => {
      const before = volume[i];
      return before ? { day: d.day, email: sum(before.email, d.email), sms: sum(before.sms, d.sms) } : d;
    });
    played += part.length;
    await new Promise((resolve) => setImmediate(resolve));
  }
  return { volume, played };
}

/** People like those who enter later: of the newest that are here, those whom the rule for entering lets in. */
async function likely(db: Pool, plan: JourneyPlan): Promise<PersonState[]> {
  const { rows } = await db.query<{ id: number }>(`select id from people order by id desc limit ${MOST_PLAYED}`);
  await plans.live(db);
  const { workspace } = await plans.settings.read(db);
  const at = await now(db);
  const { people } = await loadPeople(
    db,
    rows.map((r) => r.id),
    at,
    plans,
    [plan],
    workspace
  );
  return people.flatMap(({ state: person }) => {
    const zone = zoneOf(person, plan, workspace.zone);
    const walk = newWalk(plan, person, at, 'hand', undefined, workspace.zone);
    return refusalOf(plan, { person, walk, at, zone, workspace }) === 'where' ? [] : [person];
  });
}

async function whoEnters(
  db: Db,
  plan: JourneyPlan
): Promise<
  Pick<Review, 'enterNow' | 'byEmail' | 'bySms' | 'heldOut' | 'kept' | 'estimatedFrom' | 'first' | 'matching'> & {
    /** Some of those who enter and are sent messages, as they stand. */
    states: PersonState[];
  }
> {
  const firstMessage = eachStep(plan.document).find(({ step }) => isMessage(step) && !isOff(step))?.step;
  const unreached = new Map<'no address' | 'no consent' | 'suppressed', number>();
  const states: PersonState[] = [];
  const found = { enterNow: 0, byEmail: 0, bySms: 0, heldOut: 0 };
  const kept = new Map<string, number>();
  const total = plan.entry.existing ? await countExisting(db, plan.document) : 0;
  const values: unknown[] = [];
  const { rows: ids } = total
    ? await db.query<{ id: number }>(existingIds(plan.document, values, String(MOST_ASKED)), values)
    : { rows: [] };
  await plans.live(db);
  const { workspace } = await plans.settings.read(db);
  const at = Math.max(await now(db), plan.entry.opens);
  for (let i = 0; i < ids.length; i += PART) {
    const part = ids.slice(i, i + PART).map((r) => r.id);
    const { people, suppressed } = await loadPeople(db, part, at, plans, [plan], workspace);
    for (const { state: person } of people) {
      const zone = zoneOf(person, plan, workspace.zone);
      const walk = newWalk(plan, person, at, 'existing', undefined, workspace.zone);
      const refusal = refusalOf(plan, { person, walk, at, zone, workspace });
      if (refusal) {
        kept.set(refusal, (kept.get(refusal) ?? 0) + 1);
        continue;
      }
      found.enterNow++;
      const heldOut = plan.entry.holdOut > 0 && chance(plan.key, '', person.id) < plan.entry.holdOut;
      if (heldOut) found.heldOut++;
      else if (states.length < MOST_PLAYED) states.push(person);
      const reached = (channel: 'email' | 'sms'): boolean => {
        const address = addressOf(person, channel);
        return address !== null && person.consent[channel] === 'given' && !suppressed.has(address.toLowerCase());
      };
      if (firstMessage && isMessage(firstMessage) && !heldOut && !reached(firstMessage.kind)) {
        const address = addressOf(person, firstMessage.kind);
        const why =
          address === null
            ? 'no address'
            : suppressed.has(address.toLowerCase())
              ? 'suppressed'
              : firstMessage.service
                ? null
                : 'no consent';
        if (why) unreached.set(why, (unreached.get(why) ?? 0) + 1);
      }
      if (reached('email')) found.byEmail++;
      if (reached('sms')) found.bySms++;
    }
  }
  const scale = ids.length && total > ids.length ? total / ids.length : 1;
  const scaled = (n: number): number => Math.round(n * scale);
  return {
    enterNow: scaled(found.enterNow),
    byEmail: scaled(found.byEmail),
    bySms: scaled(found.bySms),
    heldOut: scaled(found.heldOut),
    kept: [...kept].map(([reason, people]) => ({ reason, people: scaled(people) })),
    estimatedFrom: scale > 1 ? ids.length : null,
    matching: total,
    first:
      firstMessage && isMessage(firstMessage)
        ? {
            channel: firstMessage.kind,
            unreached: [...unreached].map(([reason, people]) => ({ reason, people: scaled(people) })),
            reached: scaled(found.enterNow - found.heldOut - [...unreached.values()].reduce((a, b) => a + b, 0))
          }
        : null,
    states
  };
}

/** Who is inside, by version and step; `step` is where they stand. */
async function whoIsInside(
  db: Db,
  journeyId: number,
  plan: JourneyPlan
): Promise<Pick<Review, 'insideEarlier' | 'cannotMove'>> {
  const { rows } = await db.query<{ version: number; step: string; people: number }>(
    `select version, step, sum(n) as people from counters
     where journey_id = $1 and day = '0001-01-01' and what in ('walking', 'standing')
     group by 1, 2 having sum(n) > 0`,
    [journeyId]
  );
  await plans.ensure(
    db,
    rows.map((r) => ({ journey_id: journeyId, version: r.version }))
  );
  const cannot = new Map<string, number>();
  for (const r of rows) {
    const from = plans.found(journeyId, r.version);
    if (r.step === '' || r.version >= plan.version || !from) continue;
    const at = from.byKey.get(r.step)?.index;
    if (at !== undefined && placeIn(plan, from, { at }) === null)
      cannot.set(r.step, (cannot.get(r.step) ?? 0) + r.people);
  }
  return {
    insideEarlier: rows.filter((r) => r.step === '').reduce((n, r) => n + r.people, 0),
    cannotMove: [...cannot].map(([step, people]) => ({ step, people }))
  };
}
