/**
 * Conditions, compiled once into closures, and the matching of happenings.
 * Rules: docs/journey-language.md, "Happenings" and "Conditions".
 */
import type { FieldValue, PersonState } from '../person/state.ts';
import type { Walk } from '../walk/walk.ts';
import type { Condition, HappeningFilter } from './schema.ts';
import type { Happening } from '../person/happening.ts';

/** True or false of a person now; `walk` is the walk that asks, where one does. */
export type Test = (person: PersonState, walk: Walk | null) => boolean;

/** Text compares without regard to case; everything else exactly. */
export function sameValue(a: FieldValue, b: FieldValue): boolean {
  if (typeof a === 'string' && typeof b === 'string') return a.toLowerCase() === b.toLowerCase();
  return a === b;
}

/** Compiles a condition. The closure is pure and may be kept with the plan. */
export function compileCondition(condition: Condition): Test {
  if ('all' in condition) {
    const tests = condition.all.map(compileCondition);
    return (p, w) => tests.every((test) => test(p, w));
  }
  if ('any' in condition) {
    const tests = condition.any.map(compileCondition);
    return (p, w) => tests.some((test) => test(p, w));
  }
  // "not" alone is the connective; beside "field" it is a comparison.
  if ('field' in condition) {
    const { field, is, not, set } = condition;
    return (p) => {
      const value = p.fields.get(field);
      const has = value !== undefined && value !== '';
      if (set !== undefined && has !== set) return false;
      if (is !== undefined && !(has && sameValue(value, is))) return false;
      if (not !== undefined && has && sameValue(value, not)) return false;
      return true;
    };
  }
  if ('not' in condition) {
    const test = compileCondition(condition.not);
    return (p, w) => !test(p, w);
  }
  if ('tag' in condition) {
    const { tag } = condition;
    return (p) => p.tags.has(tag);
  }
  if ('consent' in condition) {
    const { consent } = condition;
    return (p) => p.consent[consent] === 'given';
  }
  const { did, of, link } = condition;
  return (p, w) => {
    if (!w) return false;
    // Only what came after this step last sent counts.
    let since = Infinity;
    for (const m of p.sent) if (m.walk === w.id && m.step === of) since = m.order;
    if (did === 'sent') return since !== Infinity;
    return p.reactions.some(
      (r) =>
        r.walk === w.id && r.step === of && r.order > since && r.name === did && (link === undefined || r.link === link)
    );
  };
}

/**
 * Whether a happening meets a filter. With a walk, `of` means that walk's own
 * message; without one (an entry), any walk's of the journey that asks.
 */
export function matches(filter: HappeningFilter, h: Happening, journey: string, walk: Walk | null): boolean {
  if (filter.happening !== h.name || h.machine) return false;
  switch (filter.happening) {
    case 'tag_added':
    case 'tag_removed':
      return filter.tag === undefined || filter.tag === h.tag;
    case 'purchased':
      return filter.product === undefined || (h.items ?? []).some((line) => line.sku === filter.product);
    case 'clicked':
      if (filter.link !== undefined && filter.link !== h.link) return false;
      break;
    default:
  }
  if (filter.channel !== undefined && filter.channel !== h.channel) return false;
  if (filter.of === undefined) return true;
  if (h.about?.step !== filter.of || h.about.journey !== journey) return false;
  return !walk || h.about.walk === walk.id;
}

/** Every condition inside a condition, itself first. */
export function eachCondition(condition: Condition): Condition[] {
  if ('all' in condition) return [condition, ...condition.all.flatMap(eachCondition)];
  if ('any' in condition) return [condition, ...condition.any.flatMap(eachCondition)];
  if ('not' in condition && !('field' in condition)) return [condition, ...eachCondition(condition.not)];
  return [condition];
}
