/**
 * The journey document, `ambulo.journey/1`. These schemas are its only
 * definition in code; unknown keys are refused with their path.
 */
import { z } from 'zod';
import { conditionSchema, entryHappeningSchema, happeningOrConditionSchema } from '../condition/schema.ts';
import { keySchema } from '../steps/base.ts';
import { laneSchema } from '../steps/lane.ts';
import { hoursSchema, zoneName } from '../time/hours.ts';
import { durationSchema } from './values.ts';

export const FORMAT = 'ambulo.journey/1';

export const entrySchema = z
  .strictObject({
    on: z.array(entryHappeningSchema).optional(),
    where: conditionSchema.optional(),
    existing: z.boolean().optional(),
    again: z.literal('once').optional()
  })
  .refine((entry) => !entry.existing || entry.on?.some((rule) => rule.tag), {
    error: 'expected "on" to name a tag, so that "existing" has someone to take in',
    path: ['existing']
  });

export const goalSchema = z.strictObject({
  when: happeningOrConditionSchema,
  leave: z.boolean().optional(),
  within: durationSchema.optional()
});

export const leaveRuleSchema = z.strictObject({ when: happeningOrConditionSchema, reason: z.string() });

export const journeySchema = z.strictObject({
  format: z.literal(FORMAT),
  key: keySchema,
  name: z.string().optional(),
  purpose: z.string().optional(),
  labels: z.array(z.string()).optional(),
  zone: zoneName.optional(),
  entry: entrySchema.optional(),
  hours: hoursSchema.optional(),
  goal: goalSchema.optional(),
  leaveWhen: z.array(leaveRuleSchema).optional(),
  idle: durationSchema.optional(),
  notes: z.array(z.strictObject({ at: keySchema, text: z.string() })).optional(),
  lane: laneSchema
});

export type Journey = z.infer<typeof journeySchema>;
