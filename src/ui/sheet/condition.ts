/** What the form of a condition does to it. Pure: a condition gives a condition. */
import { MESSAGE_HAPPENINGS } from '$core/condition/happening.ts';
import type { Names } from '$core/condition/typed.ts';
import type { Comparison } from '$core/condition/comparison.ts';
import type { Condition, DidCondition, FieldCondition } from '$core/condition/schema.ts';
import { typedDuration } from '$core/time/duration.ts';
import { parseDate } from '$core/time/civil.ts';
import { durationShort } from '$core/tell/words.ts';
import { kindOf } from '$core/steps/index.ts';
import type { Nameable } from './panels/panel.ts';

/** Questions the form can ask, with their words. */
export const QUESTIONS = [
  ['did', 'did with a message'],
  ['happened', 'did something else'],
  ['tag', 'has the tag'],
  ['list', 'is on the list'],
  ['segment', 'is in the segment'],
  ['field', 'field'],
  ['consent', 'gave consent for'],
  ['score', 'points of the score'],
  ['rung', 'is on the rung'],
  ['spent', 'has spent'],
  ['orders', 'has ordered'],
  ['walking', 'is in the journey']
] as const;
export type Question = (typeof QUESTIONS)[number][0];

export type Together = 'all' | 'any';
export interface Group {
  together: Together;
  parts: Condition[];
}

// Beside a field or a score, "not" is a comparison.
const isNegation = (c: Condition): c is { not: Condition } => 'not' in c && !('field' in c) && !('score' in c);
export const isField = (c: Condition): c is FieldCondition => 'field' in c && !('did' in c) && !('came' in c);

/** A condition without the "not" around it. */
export const turned = (c: Condition): { not: boolean; inner: Condition } =>
  isNegation(c) ? { not: true, inner: c.not } : { not: false, inner: c };

export const turn = (inner: Condition, not: boolean): Condition => (not ? { not: inner } : inner);

/** Several conditions together; `null` for a single question. */
export function groupOf(c: Condition): Group | null {
  if ('all' in c) return { together: 'all', parts: c.all };
  return 'any' in c ? { together: 'any', parts: c.any } : null;
}

/** Conditions together; one alone needs no group. */
export function grouped({ together, parts }: Group): Condition {
  const [only] = parts;
  if (parts.length === 1 && only) return only;
  return together === 'all' ? { all: parts } : { any: parts };
}

/** Both at once: beside the others where they stand together already. */
export function and(c: Condition, more: Condition): Condition {
  const parts = (part: Condition): Condition[] => ('all' in part ? part.all : [part]);
  return { all: [...parts(c), ...parts(more)] };
}

const MESSAGES: readonly string[] = MESSAGE_HAPPENINGS;
const only = (c: object, ...keys: string[]): boolean => Object.keys(c).every((k) => keys.includes(k));

/** Which question a condition is; `null` for one the form cannot ask, which is kept as it is. */
export function questionOf(c: Condition): Question | null {
  if ('did' in c) {
    if (c.since !== undefined || c.times !== undefined) return null;
    if (MESSAGES.includes(c.did) && c.of !== undefined) return c.journey === undefined ? 'did' : 'happened';
    return 'happened';
  }
  if ('tag' in c) return 'tag';
  if ('list' in c) return 'list';
  if ('segment' in c) return 'segment';
  if (isField(c)) return comparisonOf(c) ? 'field' : null;
  if ('score' in c) return comparisonOf(c) ? 'score' : null;
  if ('rung' in c) return only(c, 'rung') ? 'rung' : null;
  if ('spent' in c) return only(c, 'spent', 'last') && comparisonOf(c.spent) ? 'spent' : null;
  if ('orders' in c) return only(c, 'orders', 'last') && comparisonOf(c.orders) ? 'orders' : null;
  if ('walking' in c) return 'walking';
  return 'consent' in c ? 'consent' : null;
}

/** A question that asks nothing yet. */
export function freshQuestion(question: Question, known: Nameable): Condition {
  switch (question) {
    case 'did':
      return { did: 'opened', of: known.messages.at(-1)?.key ?? '' };
    case 'happened':
      return { did: 'purchased', last: 'P30D' };
    case 'tag':
      return { tag: '' };
    case 'list':
      return { list: '' };
    case 'segment':
      return { segment: known.segments[0] ?? '' };
    case 'field':
      return { field: '', is: '' };
    case 'consent':
      return { consent: 'email' };
    case 'score':
      return { score: known.scores[0] ?? '', gte: 10 };
    case 'rung':
      return { rung: known.rungs[0] ?? 'a rung' };
    case 'spent':
      return { spent: { gte: 50 }, last: 'P1Y' };
    case 'orders':
      return { orders: { gte: 1 }, last: 'P1Y' };
    case 'walking':
      return { walking: known.journeys[0]?.key ?? 'journey' };
  }
}

/** The same question about another message, or of another act: what else it asks (a link) stays where it may. */
export function askingDid({ link, ...rest }: DidCondition, did: string, of: string | undefined): Condition {
  const act = MESSAGE_HAPPENINGS.find((h) => h === did) ?? 'opened';
  return { ...rest, did: act, of, ...(act === 'clicked' && link !== undefined ? { link } : {}) };
}

/** Comparisons of the form: their words, and what is typed beside them. */
export const COMPARISONS = [
  ['is', 'is', 'value'],
  ['not', 'is not', 'value'],
  ['set', 'has a value', 'none'],
  ['empty', 'has none', 'none'],
  ['contains', 'contains', 'text'],
  ['startsWith', 'begins with', 'text'],
  ['in', 'is one of', 'list'],
  ['gt', 'is above', 'number'],
  ['gte', 'is at least', 'number'],
  ['lt', 'is below', 'number'],
  ['lte', 'is at most', 'number'],
  ['before', 'is before', 'date'],
  ['after', 'is after', 'date'],
  ['last', 'is within the last', 'length'],
  ['next', 'is within the next', 'length'],
  ['dayIs', 'is today, in any year', 'none'],
  ['has', 'includes', 'text'],
  ['hasNone', 'includes none of', 'list']
] as const;
export type Compared = (typeof COMPARISONS)[number][0];
type Typed = (typeof COMPARISONS)[number][2];
/** Those of a number. */
export const NUMBER_COMPARISONS = COMPARISONS.filter(([by]) => ['is', 'not', 'gt', 'gte', 'lt', 'lte'].includes(by));

export const typedAs = (by: Compared): Typed => COMPARISONS.find(([b]) => b === by)?.[2] ?? 'value';

/** The one comparison that a question makes; `null` where it makes several, or one the form cannot. */
export function comparisonOf(c: object): Compared | null {
  const keys = Object.keys(c).filter(
    (k) => !['field', 'score', 'spent', 'orders'].includes(k) && Reflect.get(c, k) !== undefined
  );
  const [key] = keys;
  if (keys.length !== 1 || key === undefined) return null;
  if (key === 'set') return (c as Comparison).set === false ? 'empty' : 'set';
  return COMPARISONS.find(([by]) => by === key)?.[0] ?? null;
}

/** What stands beside a comparison, as it would be typed. */
export function comparedText(c: object, by: Compared): string {
  const value: unknown = by === 'set' || by === 'empty' || by === 'dayIs' ? '' : Reflect.get(c, by);
  if (Array.isArray(value)) return value.join(', ');
  if ((by === 'last' || by === 'next') && typeof value === 'string') return durationShort(value);
  return value === undefined ? '' : typeof value === 'boolean' ? (value ? 'yes' : 'no') : String(value);
}

/** A comparison from what is typed; `null` while that is not one. What looks like a number, yes or no is one, unless it is in quotation marks. */
export function compared(by: Compared, typed: string): Comparison | null {
  const text = typed.trim();
  const number = Number(text.replace(',', '.'));
  const isNumber = text !== '' && Number.isFinite(number);
  switch (typedAs(by)) {
    case 'none':
      return by === 'dayIs' ? { dayIs: true } : { set: by === 'set' };
    case 'number':
      return isNumber ? { [by]: number } : null;
    case 'date':
      return parseDate(text) === null ? null : { [by]: text };
    case 'length': {
      const length = typedDuration(text);
      return length ? { [by]: length } : null;
    }
    case 'list': {
      const values = text
        .split(',')
        .map((v) => v.trim())
        .filter(Boolean);
      return values.length ? { [by]: values } : null;
    }
    case 'text':
      return { [by]: text };
    case 'value': {
      const quoted = /^"(.*)"$/.exec(text);
      if (quoted) return { [by]: quoted[1] ?? '' };
      if (text === 'yes' || text === 'no') return { [by]: text === 'yes' };
      return { [by]: isNumber ? number : text };
    }
  }
}

/** What a comparison begins with, before anything is typed beside it. */
export function freshComparison(by: Compared, before: string, today: string): Comparison {
  const kept = compared(by, before);
  if (kept) return kept;
  switch (typedAs(by)) {
    case 'number':
      return { [by]: 0 };
    case 'date':
      return { [by]: today };
    case 'length':
      return { [by]: 'P30D' };
    default:
      return { [by]: typedAs(by) === 'list' ? ['…'] : '' };
  }
}

/** What typing a condition can name. */
export const typedNames = (known: Nameable): Names => ({
  ...known,
  messages: known.messages.map((m) => ({ key: m.key, name: kindOf(m).card(m).title }))
});
