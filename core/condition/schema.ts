/**
 * Conditions: what can be asked of a person now. The schema here is their only
 * definition. Rules: docs/journey-language.md, "Conditions".
 */
import { z } from 'zod';
import { durationSchema, keyText } from '../journey/values.ts';
import {
  amountSchema,
  compares,
  COMPARES_NOTHING,
  MOST_VALUES,
  comparisonShape,
  countSchema,
  numberShape,
  type Amounts,
  type Comparison,
  type Counts
} from './comparison.ts';
import {
  channel,
  filterForms,
  happeningSchema,
  type Filters,
  type HappeningFilter,
  type HappeningName
} from './happening.ts';
import type { Channel } from '../person/values.ts';
import { LONGEST, naming, plainText } from '../text/text.ts';

/** So many happenings may be any of which lets people in, out or reach the goal. */
export const MOST_HAPPENINGS = 100;

/** Ways in that are no happening. */
export const OTHER_WAYS_IN = ['hand', 'api', 'handover', 'date', 'timetable', 'existing'] as const;
export type WayIn = HappeningName | (typeof OTHER_WAYS_IN)[number];

const named = naming().min(1, { error: 'expected a name' });

const fieldIs = z.strictObject({ field: naming(LONGEST.name), ...comparisonShape }).refine(compares, COMPARES_NOTHING);
const scoreIs = z.strictObject({ score: naming(), ...numberShape }).refine(compares, COMPARES_NOTHING);
const rungIs = z.strictObject({
  rung: z.union([named, z.array(named).min(1).max(MOST_VALUES)]),
  ladder: named.optional()
});
/** Only what was recorded behind this walk's beginning. */
export const since = z.literal('entry').optional();

/** Keys that say which orders count. */
export const ordered = {
  last: durationSchema.optional(),
  since,
  product: plainText(LONGEST.name).optional(),
  category: plainText(LONGEST.name).optional()
};
const spent = z.strictObject({ spent: amountSchema, ...ordered });
const orders = z.strictObject({ orders: countSchema, ...ordered });
const did = z
  .discriminatedUnion(
    'did',
    filterForms('did', { last: durationSchema.optional(), since, times: countSchema.optional() })
  )
  .refine((c: Filters & { since?: unknown }) => c.since === undefined || c.of === undefined, {
    error: 'expected no "since" beside "of": what is about a message counts since that message',
    path: ['since']
  });
const came = z.union([
  z.discriminatedUnion('came', filterForms('came')),
  z.strictObject({ came: z.enum(OTHER_WAYS_IN) })
]);

export type FieldCondition = { field: string } & Comparison;
export type ScoreCondition = { score: string } & Counts;
export type DidCondition = {
  did: HappeningName;
  last?: string | undefined;
  since?: Since | undefined;
  times?: Counts | undefined;
} & Filters;
export type CameCondition = { came: WayIn } & Filters;
export type Since = 'entry';
export interface Ordered {
  last?: string | undefined;
  since?: Since | undefined;
  product?: string | undefined;
  category?: string | undefined;
}
export type Condition =
  | { all: Condition[] }
  | { any: Condition[] }
  | { not: Condition }
  | FieldCondition
  | { tag: string }
  | { list: string }
  | { segment: string }
  | { consent: Channel }
  | ScoreCondition
  | { rung: string | string[]; ladder?: string | undefined }
  | ({ spent: Amounts } & Ordered)
  | ({ orders: Counts } & Ordered)
  | DidCondition
  | { walking: string }
  | CameCondition;

/** A condition: `all`, `any`, `not`, or exactly one question about the person. */
export const conditionSchema: z.ZodType<Condition> = z.lazy(
  () =>
    z.union([
      z.strictObject({ all: z.array(conditionSchema).min(1) }),
      z.strictObject({ any: z.array(conditionSchema).min(1) }),
      z.strictObject({ not: conditionSchema }),
      fieldIs,
      z.strictObject({ tag: naming() }),
      z.strictObject({ list: naming() }),
      z.strictObject({ segment: naming() }),
      z.strictObject({ consent: channel }),
      scoreIs,
      rungIs,
      spent,
      orders,
      z.strictObject({ walking: keyText }),
      did,
      came
    ]) as unknown as z.ZodType<Condition>
);

/** Either of the two, as listens take them. */
export const happeningOrConditionSchema: z.ZodType<HappeningOrCondition> = z.union([happeningSchema, conditionSchema]);
export type HappeningOrCondition = HappeningFilter | Condition;

/** What a goal or leave rule says: a happening, any of several, or a condition. */
export const reasonSchema: z.ZodType<Reason> = z.union([
  happeningOrConditionSchema,
  z.array(happeningSchema).min(1).max(MOST_HAPPENINGS)
]);
export type Reason = HappeningOrCondition | HappeningFilter[];

/** A goal or leave rule as the rules it is any of. */
export const eachRule = (reason: Reason): HappeningOrCondition[] => (Array.isArray(reason) ? reason : [reason]);

/** Tells the two apart. */
export function isHappening(rule: HappeningOrCondition): rule is HappeningFilter {
  return 'happening' in rule;
}
