/**
 * What setting a journey live would do, in numbers. Who would be let in is asked of the engine's own rules, person by person
 * as they stand now; of very many, of so many of them as a page can wait for, and said as an estimate.
 */
import type { Finding } from '../../core/check/index.ts';
import { compile, type JourneyPlan } from '../../core/journey/compile.ts';
import type { Journey } from '../../core/journey/schema.ts';
import { newWalk, refusalOf } from '../../core/person/entering.ts';
import { placeIn } from '../../core/person/moving.ts';
import { addressOf } from '../../core/person/state.ts';
import { chance } from '../../core/walk/chance.ts';
import { zoneOf } from '../../core/walk/surroundings.ts';
import { now } from '../clock/clock.ts';
import { countExisting, existingIds } from '../crowds/crowds.ts';
import type { Db } from '../db/pool.ts';
import { loadPeople } from '../engine/load.ts';
import { PlanBook } from '../engine/plans.ts';
import { allFindings } from './going-live.ts';

export interface Review {
  findings: Finding[];
  /** People who enter at the moment of going live, or when it opens. */
  enterNow: number;
  /** Of those: who can be reached by each channel, and who is held out. */
  byEmail: number;
  bySms: number;
  heldOut: number;
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

const plans = new PlanBook();

/** What going live would do now. */
export async function review(db: Db, journeyId: number, document: Journey): Promise<Review> {
  const { rows } = await db.query<{ next: number }>(
    `select coalesce((select max(number) from versions where journey_id = $1), 0) + 1 as next`,
    [journeyId]
  );
  const nextVersion = rows[0]?.next ?? 1;
  const plan = compile(document, nextVersion);
  const [entering, inside, findings] = await Promise.all([
    whoEnters(db, plan),
    whoIsInside(db, journeyId, plan),
    allFindings(db, document)
  ]);
  return { findings, ...entering, ...inside, nextVersion };
}

async function whoEnters(
  db: Db,
  plan: JourneyPlan
): Promise<Pick<Review, 'enterNow' | 'byEmail' | 'bySms' | 'heldOut' | 'kept' | 'estimatedFrom'>> {
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
      if (plan.entry.holdOut > 0 && chance(plan.key, '', person.id) < plan.entry.holdOut) found.heldOut++;
      const reached = (channel: 'email' | 'sms'): boolean => {
        const address = addressOf(person, channel);
        return address !== null && person.consent[channel] === 'given' && !suppressed.has(address.toLowerCase());
      };
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
    estimatedFrom: scale > 1 ? ids.length : null
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
