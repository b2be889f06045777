/**
 * Comparisons: what a condition asks of a value. One or more keys, all must
 * hold. Rules: docs/journey-language.md, "Comparisons".
 */
import { z } from 'zod';
import { durationSchema } from '../journey/values.ts';
import { parseAmount } from '../person/amount.ts';
import { FIELD_TYPES, type FieldType, type FieldValue } from '../person/values.ts';
import { addDuration, addToWall, parseDate, toWall, wallDay } from '../time/civil.ts';
import { duration, DAY } from '../time/duration.ts';
import { parseInstant } from '../time/instant.ts';
import { plainText } from '../text/text.ts';

/** Values that one comparison, or one lane of a branch by values, may list. */
export const MOST_VALUES = 1000;

const scalar = z.union([plainText(), z.number(), z.boolean()]);
const value = z.union([scalar, z.array(plainText()).max(MOST_VALUES)]);
const dateOrInstant = z.string().refine((text) => parseDate(text) !== null || parseInstant(text) !== null, {
  error: 'expected a date such as "2027-03-01" or an instant such as "2027-03-01T09:00:00Z"'
});
const some = z.array(scalar).min(1).max(MOST_VALUES);

/** Every comparison by its key. */
export const comparisonShape = {
  is: value.optional(),
  not: value.optional(),
  set: z.boolean().optional(),
  in: some.optional(),
  notIn: some.optional(),
  contains: plainText().optional(),
  startsWith: plainText().optional(),
  gt: z.number().optional(),
  gte: z.number().optional(),
  lt: z.number().optional(),
  lte: z.number().optional(),
  before: dateOrInstant.optional(),
  after: dateOrInstant.optional(),
  last: durationSchema.optional(),
  next: durationSchema.optional(),
  dayIs: z.literal(true).optional(),
  has: plainText().optional(),
  hasAll: z.array(plainText()).min(1).max(MOST_VALUES).optional(),
  hasNone: z.array(plainText()).min(1).max(MOST_VALUES).optional()
};

const comparison = z.strictObject(comparisonShape);
export type Comparison = z.infer<typeof comparison>;
export type ComparisonKey = keyof Comparison;
export const COMPARISON_KEYS = Object.keys(comparisonShape) as ComparisonKey[];

/** Whether at least one comparison stands there. */
export const compares = (c: object): boolean => COMPARISON_KEYS.some((key) => Reflect.get(c, key) !== undefined);
export const COMPARES_NOTHING = { error: 'expected a comparison, such as "is", "gt" or "set"' };

/** Comparisons of answers and of a custom happening's data. */
export const comparisonSchema = comparison.refine(compares, COMPARES_NOTHING);

const decimal = z.union([z.number(), z.string()]).refine((v) => parseAmount(v) !== null, {
  error: 'expected a decimal with at most 4 places'
});
const numeric = <T extends z.ZodType>(of: T) => ({
  is: of.optional(),
  not: of.optional(),
  set: z.boolean().optional(),
  in: z.array(of).min(1).optional(),
  notIn: z.array(of).min(1).optional(),
  gt: of.optional(),
  gte: of.optional(),
  lt: of.optional(),
  lte: of.optional()
});
/** Comparisons of scores and counts, as keys beside others. */
export const numberShape = numeric(z.number());
/** Comparisons of counts, as an object of their own. */
export const countSchema = z.strictObject(numberShape).refine(compares, COMPARES_NOTHING);
/** Comparisons of amounts, exact to four places. */
export const amountSchema = z.strictObject(numeric(decimal)).refine(compares, COMPARES_NOTHING);
export type Amounts = z.infer<typeof amountSchema>;
export type Counts = z.infer<typeof countSchema>;

const ALL: FieldType[] = [...FIELD_TYPES];
/** Which comparisons fit which types of field. */
export const FITS: Record<ComparisonKey, FieldType[]> = {
  is: ALL,
  not: ALL,
  set: ALL,
  in: ['text', 'number', 'date', 'choice'],
  notIn: ['text', 'number', 'date', 'choice'],
  contains: ['text'],
  startsWith: ['text'],
  gt: ['number'],
  gte: ['number'],
  lt: ['number'],
  lte: ['number'],
  before: ['date', 'instant'],
  after: ['date', 'instant'],
  last: ['date', 'instant'],
  next: ['date', 'instant'],
  dayIs: ['date', 'instant'],
  has: ['choices'],
  hasAll: ['choices'],
  hasNone: ['choices']
};

/** Whether a value of a comparison or a literal is one of this type. */
export function isOfType(v: unknown, type: FieldType): boolean {
  switch (type) {
    case 'text':
    case 'choice':
      return typeof v === 'string';
    case 'number':
      return typeof v === 'number';
    case 'yesno':
      return typeof v === 'boolean';
    case 'date':
      return typeof v === 'string' && parseDate(v) !== null;
    case 'instant':
      return typeof v === 'string' && parseInstant(v) !== null;
    case 'choices':
      return typeof v === 'string' || (Array.isArray(v) && v.every((x) => typeof x === 'string'));
  }
}

/** What about a comparison does not fit a field's type: the key, and what was expected. */
export function typeMismatches(c: Comparison, type: FieldType): { key: ComparisonKey; message: string }[] {
  return COMPARISON_KEYS.flatMap((key) => {
    const operand = c[key];
    if (operand === undefined) return [];
    if (!FITS[key].includes(type)) return [{ key, message: `a comparison that fits a field of type ${type}` }];
    const values = key === 'in' || key === 'notIn' ? (operand as unknown[]) : [operand];
    const typed = ['is', 'not', 'in', 'notIn', 'before', 'after'].includes(key);
    return typed && !values.every((v) => isOfType(v, type)) ? [{ key, message: `a value of type ${type}` }] : [];
  });
}

/** Text compares without regard to case, choices as a set; everything else exactly. */
export function sameValue(a: FieldValue, b: FieldValue): boolean {
  if (typeof a === 'string' && typeof b === 'string') return a === b || a.toLowerCase() === b.toLowerCase();
  if (Array.isArray(a) || Array.isArray(b)) {
    const [x, y] = [choicesOf(a), choicesOf(b)];
    return x.length === y.length && x.every((v) => y.includes(v));
  }
  return a === b;
}

/** The chosen values, in one case. */
const choicesOf = (v: FieldValue): string[] => (Array.isArray(v) ? v : [String(v)]).map((x) => x.toLowerCase());

/** Whether a field has a value: an empty text and an empty choice are none. */
export function hasValue(v: FieldValue | undefined): v is FieldValue {
  return v !== undefined && v !== '' && !(Array.isArray(v) && v.length === 0);
}

/** True or false of a value now; `at` is UTC ms, `zone` the zone days are counted in. */
export type ValueTest = (value: FieldValue | undefined, at: number, zone: string) => boolean;

const text = (v: FieldValue): string => (typeof v === 'string' ? v.toLowerCase() : '');
const order =
  (holds: (a: number, b: number) => boolean, b: number): ValueTest =>
  (v) =>
    typeof v === 'number' && holds(v, b);

/** Compiles a comparison. A value that is absent satisfies only `set: false`, `not`, `notIn` and `hasNone`. */
export function compileComparison(c: Comparison): ValueTest {
  const tests: ValueTest[] = [];
  const add = (test: ValueTest): void => void tests.push(test);
  const { is, not, set, contains, startsWith, before, after, last, next, has, hasAll, hasNone } = c;
  if (set !== undefined) add((v) => hasValue(v) === set);
  if (is !== undefined) add((v) => hasValue(v) && same(v, is));
  if (not !== undefined) add((v) => !hasValue(v) || !same(v, not));
  if (c.in) {
    const list = c.in;
    add((v) => hasValue(v) && list.some((x) => same(v, x)));
  }
  if (c.notIn) {
    const list = c.notIn;
    add((v) => !hasValue(v) || !list.some((x) => same(v, x)));
  }
  if (contains !== undefined) add((v) => hasValue(v) && text(v).includes(contains.toLowerCase()));
  if (startsWith !== undefined) add((v) => hasValue(v) && text(v).startsWith(startsWith.toLowerCase()));
  if (c.gt !== undefined) add(order((a, b) => a > b, c.gt));
  if (c.gte !== undefined) add(order((a, b) => a >= b, c.gte));
  if (c.lt !== undefined) add(order((a, b) => a < b, c.lt));
  if (c.lte !== undefined) add(order((a, b) => a <= b, c.lte));
  if (before !== undefined) add((v, _at, zone) => compareTimes(v, before, zone) < 0);
  if (after !== undefined) add((v, _at, zone) => compareTimes(v, after, zone) > 0);
  if (last !== undefined) add(within(last, 'last'));
  if (next !== undefined) add(within(next, 'next'));
  if (c.dayIs) add(dayIs);
  if (has !== undefined) add((v) => hasValue(v) && choicesOf(v).includes(has.toLowerCase()));
  if (hasAll) add((v) => hasValue(v) && hasAll.every((x) => choicesOf(v).includes(x.toLowerCase())));
  if (hasNone) add((v) => !hasValue(v) || !hasNone.some((x) => choicesOf(v).includes(x.toLowerCase())));
  const [only] = tests;
  if (only && tests.length === 1) return only;
  return (v, at, zone) => tests.every((test) => test(v, at, zone));
}

/** Equal, where instants written differently are the same instant. */
function same(a: FieldValue, b: FieldValue): boolean {
  if (sameValue(a, b)) return true;
  if (typeof a !== 'string' || typeof b !== 'string' || !a.includes('T') || !b.includes('T')) return false;
  const at = parseInstant(a);
  return at !== null && at === parseInstant(b);
}

/** Below, at or above 0 as a field's date or instant lies before, on or after another; NaN for anything else. */
function compareTimes(v: FieldValue | undefined, other: string, zone: string): number {
  if (typeof v !== 'string' || v === '') return NaN;
  const [day, otherDay] = [parseDate(v), parseDate(other)];
  const at = day === null ? parseInstant(v) : null;
  if (otherDay !== null) {
    if (day !== null) return day - otherDay;
    return at === null ? NaN : wallDay(zone, at) - otherDay;
  }
  const otherAt = parseInstant(other);
  if (otherAt === null) return NaN;
  if (day !== null) return day - wallDay(zone, otherAt);
  return at === null ? NaN : at - otherAt;
}

/** `last` and `next`: days include today and the far end, instants leave the far end out. */
function within(length: string, which: 'last' | 'next'): ValueTest {
  const d = duration(length);
  return (v, now, zone) => {
    if (typeof v !== 'string' || v === '') return false;
    const day = parseDate(v);
    if (day !== null) {
      const today = wallDay(zone, now);
      const [from, to] = which === 'last' ? [day, today] : [today, day];
      return from <= to && to <= addToWall(from, d) + d.ms;
    }
    const at = parseInstant(v);
    if (at === null) return false;
    const [from, to] = which === 'last' ? [at, now] : [now, at];
    return from <= to && to < addDuration(zone, from, d);
  };
}

/** Today's month and day; a 29 February is 28 February in other years. */
const dayIs: ValueTest = (v, now, zone) => {
  if (typeof v !== 'string' || v === '') return false;
  const at = parseDate(v) === null ? parseInstant(v) : null;
  const wall = parseDate(v) ?? (at === null ? null : Math.floor(toWall(zone, at) / DAY) * DAY);
  if (wall === null) return false;
  const [own, today] = [new Date(wall), new Date(wallDay(zone, now))];
  if (own.getUTCMonth() !== today.getUTCMonth()) return false;
  const leap = new Date(Date.UTC(today.getUTCFullYear(), 1, 29)).getUTCDate() === 29;
  const day = own.getUTCMonth() === 1 && own.getUTCDate() === 29 && !leap ? 28 : own.getUTCDate();
  return day === today.getUTCDate();
};

/** Compiles a comparison of an amount given in ten-thousandths; `undefined` is no amount. */
export function compileAmount(c: Amounts): (units: number | undefined) => boolean {
  const scaled: Record<string, unknown> = {};
  for (const [key, v] of Object.entries(c)) {
    if (v === undefined) continue;
    scaled[key] =
      typeof v === 'boolean' ? v : Array.isArray(v) ? v.map((x) => parseAmount(x) ?? NaN) : (parseAmount(v) ?? NaN);
  }
  const test = compileComparison(scaled as Comparison);
  return (units) => test(units, 0, 'UTC');
}
