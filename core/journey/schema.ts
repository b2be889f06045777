/**
 * The journey document, `ambulo.journey/1`. These schemas are its only
 * definition in code; unknown keys are refused with their path.
 */
import { z } from 'zod';
import { happeningSchema } from '../condition/happening.ts';
import { conditionSchema, MOST_HAPPENINGS, reasonSchema } from '../condition/schema.ts';
import { keySchema } from '../steps/base.ts';
import { laneSchema } from '../steps/lane.ts';
import { clockTime, hoursSchema, WEEKDAYS, zoneName, zoneOrPerson } from '../time/hours.ts';
import { AGAIN } from '../walk/plan.ts';
import { rule } from './rule.ts';
import { durationSchema, instantSchema, offsetSchema } from './values.ts';
import { LONGEST, naming, plainText } from '../text/text.ts';

export const FORMAT = 'ambulo.journey/1';

/** Happenings after which someone has something that others may have already. */
const HAD = ['tag_added', 'list_joined', 'segment_joined'];

const dateSchema = z.union([
  z.strictObject({
    field: naming(LONGEST.name).min(1, { error: 'expected the name of a field' }),
    offset: offsetSchema.optional(),
    time: clockTime.optional(),
    yearly: z.boolean().optional()
  }),
  z.strictObject({ on: z.iso.date(), time: clockTime.optional() })
]);

const timetableSchema = z.union([
  z.strictObject({ weekdays: z.array(z.enum(WEEKDAYS)).min(1), time: clockTime, zone: zoneOrPerson.optional() }),
  z.strictObject({ monthDay: z.number().int().min(1).max(31), time: clockTime, zone: zoneOrPerson.optional() })
]);

export const entrySchema = z
  .strictObject({
    on: z.array(happeningSchema).max(MOST_HAPPENINGS).optional(),
    date: dateSchema.optional(),
    timetable: timetableSchema.optional(),
    where: conditionSchema.optional(),
    existing: z.boolean().optional(),
    opens: instantSchema.optional(),
    again: z.enum(AGAIN).optional(),
    holdOut: z.number().min(0).max(100).optional()
  })
  .refine(
    (entry) =>
      !entry.existing ||
      entry.on?.some((r) => HAD.includes(r.happening) && (r.tag ?? r.list ?? r.segment) !== undefined),
    rule<{ on: unknown }>(
      'expected "on" to name a tag, list or segment that others may have already',
      (entry) =>
        entry.on === undefined ||
        (Array.isArray(entry.on) && entry.on.every((r) => typeof r === 'object' && r !== null)),
      ['existing']
    )
  );
export type Entry = z.infer<typeof entrySchema>;

export const goalSchema = z.strictObject({
  when: reasonSchema,
  leave: z.boolean().optional(),
  within: durationSchema.optional()
});

export const leaveRuleSchema = z.strictObject({ when: reasonSchema, reason: naming() });

export const journeySchema = z
  .strictObject({
    format: z.literal(FORMAT),
    key: keySchema,
    name: naming(LONGEST.name).optional(),
    purpose: plainText().optional(),
    labels: z.array(naming()).max(100).optional(),
    zone: zoneName.optional(),
    entry: entrySchema.optional(),
    hours: hoursSchema.optional(),
    goal: goalSchema.optional(),
    leaveWhen: z.array(leaveRuleSchema).max(100).optional(),
    idle: durationSchema.optional(),
    notes: z
      .array(z.strictObject({ at: keySchema, text: plainText() }))
      .max(1000)
      .optional(),
    lane: laneSchema
  })
  .refine(
    (j) => !j.entry?.holdOut || j.goal?.within !== undefined,
    rule('expected "goal.within": how long those held out are watched', () => true, ['entry', 'holdOut'])
  );

export type Journey = z.infer<typeof journeySchema>;
