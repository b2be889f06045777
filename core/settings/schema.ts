/**
 * The settings of a workspace, `ambulo.settings/1`: what its journeys share.
 * Rules: docs/journey-language.md, "Settings of the workspace".
 */
import { z } from 'zod';
import { MOST_VALUES } from '../condition/comparison.ts';
import { FIELD_TYPES } from '../person/values.ts';
import { channel, happeningSchema, type HappeningFilter } from '../condition/happening.ts';
import { conditionSchema } from '../condition/schema.ts';
import { durationSchema } from '../journey/values.ts';
import { hoursSchema, zoneName } from '../time/hours.ts';
import { parseDuration, rulerLength } from '../time/duration.ts';
import { LONGEST, naming, plainText } from '../text/text.ts';

export const SETTINGS_FORMAT = 'ambulo.settings/1';

const named = naming().min(1, { error: 'expected a name' });
/** The settings know no journey, so no walk and no message of one. */
const shared = happeningSchema.refine((f: HappeningFilter) => f.of === undefined && f.same === undefined, {
  error: 'expected a happening without "of" and "same": settings know no journey'
});

/** Names that it had before: what was made when it was called so still finds it. */
const formerly = z.array(naming(LONGEST.name)).max(50).optional();

export const ladderSchema = z
  .strictObject({
    name: named,
    counts: z.array(shared).min(1),
    rungs: z.array(z.strictObject({ name: named, upTo: durationSchema })).min(1),
    after: named
  })
  .refine(
    (l) =>
      l.rungs.every((rung, i) => {
        // What is no duration is told by itself.
        const [before, own] = [parseDuration(l.rungs[i - 1]?.upTo ?? ''), parseDuration(rung.upTo)];
        return !before || !own || rulerLength(own) > rulerLength(before);
      }),
    { error: 'expected "upTo" to ascend from rung to rung', path: ['rungs'] }
  );

export const scoreModelSchema = z.strictObject({
  name: named,
  rules: z.array(
    z.strictObject({
      when: shared,
      add: z.number(),
      atMost: z.strictObject({ points: z.number().positive(), per: durationSchema }).optional()
    })
  ),
  decay: z.strictObject({ by: z.union([z.number().positive(), z.literal('half')]), every: durationSchema }).optional(),
  floor: z.number().optional(),
  ceiling: z.number().optional()
});

export const settingsSchema = z.strictObject({
  format: z.literal(SETTINGS_FORMAT),
  zone: zoneName.optional(),
  fields: z
    .array(
      z.strictObject({
        name: named,
        type: z.enum(FIELD_TYPES),
        options: z.array(plainText()).min(1).max(MOST_VALUES).optional(),
        formerly
      })
    )
    .optional(),
  /** Tags of which something is said. */
  tags: z.array(z.strictObject({ name: named, note: plainText().optional(), formerly })).optional(),
  /** Lists: what each is for, and whether joining has to be confirmed. */
  lists: z
    .array(
      z.strictObject({
        name: named,
        purpose: plainText().optional(),
        optIn: z.enum(['single', 'double']).optional(),
        formerly
      })
    )
    .optional(),
  segments: z.array(z.strictObject({ name: named, when: conditionSchema })).optional(),
  limits: z
    .array(z.strictObject({ channel: channel.optional(), atMost: z.number().int().min(1), per: durationSchema }))
    .optional(),
  hours: z.strictObject({ sms: hoursSchema.optional(), email: hoursSchema.optional() }).optional(),
  /** What one part of a text costs; for what is said of long ones. */
  textPart: z
    .strictObject({ amount: z.number().positive().max(100), currency: z.string().regex(/^[A-Z]{3}$/) })
    .optional(),
  ladders: z.array(ladderSchema).optional(),
  scores: z.array(scoreModelSchema).optional()
});

export type Settings = z.infer<typeof settingsSchema>;
export type LadderSettings = z.infer<typeof ladderSchema>;
export type ScoreSettings = z.infer<typeof scoreModelSchema>;
