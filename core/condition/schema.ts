/**
 * What the journey language can ask: happenings (something occurs) and
 * conditions (something is true of a person now). The schemas here are their
 * only definition; forms of the language that the core does not compute yet are
 * not listed, so they are refused with their path.
 */
import { z } from 'zod';

export const channel = z.enum(['email', 'sms']);
export type Channel = z.infer<typeof channel>;

/** Happenings that are about one message. */
export const MESSAGE_HAPPENINGS = [
  'sent',
  'delivered',
  'opened',
  'clicked',
  'replied',
  'bounced',
  'failed',
  'unsubscribed',
  'complained'
] as const;

const stepKey = z.string().regex(/^[a-z0-9-]+$/, { error: 'expected a step key: lower-case letters, digits and "-"' });
const messageFilters = { of: stepKey.optional(), channel: channel.optional() };
const named = z.enum(MESSAGE_HAPPENINGS).exclude(['clicked']);

const aboutMessage = z.strictObject({ happening: named, ...messageFilters });
const clicked = z.strictObject({ happening: z.literal('clicked'), ...messageFilters, link: z.string().optional() });
const tagged = z.strictObject({ happening: z.enum(['tag_added', 'tag_removed']), tag: z.string().optional() });
const purchased = z.strictObject({ happening: z.literal('purchased'), product: z.string().optional() });

/** A happening filter: `{ "happening": NAME, …filters }`. */
export const happeningSchema = z.discriminatedUnion('happening', [aboutMessage, clicked, tagged, purchased]);
export type HappeningFilter = z.infer<typeof happeningSchema>;

/** What can begin a journey: a tag put on. */
export const entryHappeningSchema = z.strictObject({ happening: z.literal('tag_added'), tag: z.string().optional() });

const fieldValue = z.union([z.string(), z.number(), z.boolean()]);

const fieldIs = z
  .strictObject({
    field: z.string(),
    is: fieldValue.optional(),
    not: fieldValue.optional(),
    set: z.boolean().optional()
  })
  .refine((c) => c.is !== undefined || c.not !== undefined || c.set !== undefined, {
    error: 'expected a comparison: "is", "not" or "set"'
  });
const tagOn = z.strictObject({ tag: z.string() });
const consentGiven = z.strictObject({ consent: channel });
const did = z
  .strictObject({ did: z.enum(MESSAGE_HAPPENINGS), of: stepKey, link: z.string().optional() })
  .refine((c) => c.link === undefined || c.did === 'clicked', {
    error: '"link" goes with "clicked" only',
    path: ['link']
  });

export type FieldCondition = z.infer<typeof fieldIs>;
export type DidCondition = z.infer<typeof did>;
export type Condition =
  | { all: Condition[] }
  | { any: Condition[] }
  | { not: Condition }
  | FieldCondition
  | { tag: string }
  | { consent: Channel }
  | DidCondition;

/** A condition: `all`, `any`, `not`, or exactly one question about the person. */
export const conditionSchema: z.ZodType<Condition> = z.lazy(() =>
  z.union([
    z.strictObject({ all: z.array(conditionSchema).min(1) }),
    z.strictObject({ any: z.array(conditionSchema).min(1) }),
    z.strictObject({ not: conditionSchema }),
    fieldIs,
    tagOn,
    consentGiven,
    did
  ])
);

/** Either of the two, as goals and leave rules take them. */
export const happeningOrConditionSchema = z.union([happeningSchema, conditionSchema]);
export type HappeningOrCondition = HappeningFilter | Condition;

/** Tells the two apart. */
export function isHappening(rule: HappeningOrCondition): rule is HappeningFilter {
  return 'happening' in rule;
}
