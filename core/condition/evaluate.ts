/**
 * Conditions, compiled once into closures. Rules: docs/journey-language.md, "Conditions".
 */
import { ordersOf, remaining } from '../person/orders.ts';
import { scoreNow } from '../engagement/scores.ts';
import { rungOf } from '../engagement/ladders.ts';
import type { Engagement } from '../engagement/models.ts';
import type { Happening } from '../person/happening.ts';
import type { PersonState } from '../person/state.ts';
import type { Walk } from '../walk/walk.ts';
import { addDuration } from '../time/civil.ts';
import { duration } from '../time/duration.ts';
import { compileAmount, compileComparison, type Comparison } from './comparison.ts';
import { compileFilter, HAPPENING_NAMES, type HappeningFilter, type HappeningName } from './happening.ts';
import type { Condition, DidCondition, Ordered } from './schema.ts';

/** Whom a condition is asked of, and when. */
export interface Asked {
  person: PersonState;
  /** The walk that asks, where one does. */
  walk: Walk | null;
  /** UTC ms. */
  at: number;
  /** The zone days are counted in. */
  zone: string;
  workspace: Engagement;
}

/** True or false of a person now. */
export type Test = (asked: Asked) => boolean;

/** Compiles a condition of a journey (`own`; empty for the settings). The closure is pure and may be kept with the plan. */
export function compileCondition(condition: Condition, own: string): Test {
  if ('all' in condition) {
    const tests = condition.all.map((c) => compileCondition(c, own));
    return (a) => tests.every((test) => test(a));
  }
  if ('any' in condition) {
    const tests = condition.any.map((c) => compileCondition(c, own));
    return (a) => tests.some((test) => test(a));
  }
  // "not" alone is the connective; beside "field" or "score" it is a comparison, and others share their keys with "did".
  if ('did' in condition) return compileDid(condition, own);
  if ('came' in condition) {
    const { came, ...filters } = condition;
    if (!(HAPPENING_NAMES as string[]).includes(came)) return ({ walk }) => walk?.by === came;
    const match = compileFilter({ happening: came as HappeningName, machine: 'any', ...filters }, own);
    return ({ walk, zone }) => walk?.by === came && (walk.entry === undefined || match(walk.entry, null, zone));
  }
  if ('field' in condition) {
    const { field, ...comparison } = condition;
    const test = compileComparison(comparison);
    return ({ person, at, zone }) => test(person.fields.get(field), at, zone);
  }
  if ('score' in condition) {
    const { score, ...comparison } = condition;
    const test = compileComparison(comparison as Comparison);
    return ({ person, at, zone, workspace }) => test(scoreNow(workspace, person, score, at), at, zone);
  }
  if ('not' in condition) {
    const test = compileCondition(condition.not, own);
    return (a) => !test(a);
  }
  if ('spent' in condition) {
    const test = compileAmount(condition.spent);
    const ask = orderQuery(condition);
    return (a) => test(ask(a).reduce((sum, units) => sum + units, 0));
  }
  if ('orders' in condition) {
    const test = compileComparison(condition.orders as Comparison);
    const ask = orderQuery(condition);
    return (a) => test(ask(a).length, a.at, a.zone);
  }
  if ('tag' in condition) {
    const { tag } = condition;
    return ({ person }) => person.tags.has(tag);
  }
  if ('list' in condition) {
    const { list } = condition;
    return ({ person }) => person.lists.has(list);
  }
  if ('segment' in condition) {
    const { segment } = condition;
    return ({ person }) => person.segments.has(segment);
  }
  if ('consent' in condition) {
    const { consent } = condition;
    return ({ person }) => person.consent[consent] === 'given';
  }
  if ('rung' in condition) {
    const rungs = [condition.rung].flat();
    const { ladder } = condition;
    return ({ person, workspace }) =>
      workspace.ladders.some(
        (l) => (ladder === undefined || l.name === ladder) && rungs.includes(rungOf(person, l.name) ?? '')
      );
  }
  const { walking } = condition;
  return ({ person }) => person.walks.some((w) => w.journey === walking && w.state === 'walking');
}

/** The orders that count, each as what is left of it in ten-thousandths. */
export function orderQuery(condition: Ordered): (asked: Asked) => number[] {
  const last = condition.last === undefined ? null : duration(condition.last);
  const sinceEntry = condition.since !== undefined;
  return ({ person, walk, at, zone }: Asked): number[] =>
    ordersOf(person).flatMap((order) => {
      if (last && at >= addDuration(zone, order.at, last)) return [];
      if (sinceEntry && !isSinceEntry(order, walk)) return [];
      const left = remaining(order, condition);
      return left === null ? [] : [left];
    });
}

/** Whether something was recorded behind the beginning of a walk: never for one that has not begun. */
function isSinceEntry(recorded: { at: number; record?: number }, walk: Walk | null): boolean {
  if (!walk) return false;
  // Only walks of plans that ask this remember where they began; one that came over from another version goes by its instant.
  return walk.since === undefined || recorded.record === undefined
    ? recorded.at > walk.enteredAt
    : recorded.record > walk.since;
}

function compileDid(condition: DidCondition, own: string): Test {
  const { did, last, since, times, ...filters } = condition;
  const filter: HappeningFilter = { happening: did, ...filters };
  const match = compileFilter(filter, own);
  const within = last === undefined ? null : duration(last);
  const count = times ? compileComparison(times as Comparison) : null;
  const { of } = filters;
  const journey = filters.journey ?? own;
  return (a) => {
    const { person, walk, at, zone } = a;
    let from = -Infinity;
    let records = person.record;
    if (of !== undefined) {
      if (journey === own && !walk) return false;
      // Only what came since this step last sent counts, by order of recording.
      from = lastMade(person, did, journey, of, journey === own ? walk : null);
      if (from < 0) return count ? count(0, at, zone) : false;
      records = did === 'sent' ? sentAs(person, from) : person.reactions;
    }
    let found = 0;
    for (const h of records) {
      if ((h.record ?? 0) < from || !match(h, walk, zone)) continue;
      if (within && at >= addDuration(zone, h.at, within)) continue;
      if (since && !isSinceEntry(h, walk)) continue;
      found++;
      if (!count) return true;
    }
    return count ? count(found, at, zone) : found > 0;
  };
}

/** The sending of a message, by its order number, as the happening that it was. */
function sentAs(person: PersonState, order: number): Happening[] {
  const m = person.sent.findLast((s) => s.order === order);
  if (!m) return [];
  const about = { walk: m.walk, journey: m.journey, step: m.step };
  return [{ name: 'sent', at: m.at, channel: m.channel, about, record: order }];
}

/** Order number of the last message (or task) of a step: of one walk, or of any walk of a journey; -1 for none. */
export function lastMade(
  person: PersonState,
  name: HappeningName,
  journey: string,
  step: string,
  walk: Walk | null
): number {
  const made = name === 'task_done' ? person.tasks : person.sent;
  for (let i = made.length - 1; i >= 0; i--) {
    const m = made[i];
    if (m?.step === step && m.journey === journey && (!walk || m.walk === walk.id)) return m.order;
  }
  return -1;
}

/** Every condition inside a condition, itself first. */
export function eachCondition(condition: Condition): Condition[] {
  if ('all' in condition) return [condition, ...condition.all.flatMap(eachCondition)];
  if ('any' in condition) return [condition, ...condition.any.flatMap(eachCondition)];
  const inner = 'not' in condition && !('field' in condition) && !('score' in condition) ? condition.not : null;
  return inner && typeof inner === 'object' && !Array.isArray(inner)
    ? [condition, ...eachCondition(inner as Condition)]
    : [condition];
}
