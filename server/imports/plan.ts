/** What is done with a file: how it is read, what each column is taken as, and what happens to the people in it. */
import { TARGETS } from '../people/columns.ts';
import { z } from 'zod';
import { FIELD_TYPES } from '../../core/person/values.ts';
import { MOST_VALUES } from '../../core/condition/comparison.ts';
import { LONGEST, naming, plainText } from '../../core/text/text.ts';
import { MOST_COLUMNS } from './csv.ts';
import { readingSchema } from './reading.ts';
import { DATE_ORDERS, DECIMALS } from '../people/values.ts';

/** What a column is taken as: one of ours, a field by name, or nothing. */
export type Target = (typeof TARGETS)[number] | `field:${string}` | 'ignore';
export const targetSchema = z
  .string()
  .refine(
    (t): t is Target =>
      t === 'ignore' || (TARGETS as readonly string[]).includes(t) || /^field:[a-z][a-z0-9_]{0,39}$/.test(t),
    { error: 'expected a known column or a field name' }
  );

export const columnSchema = z.strictObject({
  target: targetSchema,
  /** Of a field: what its values are. */
  type: z.enum(FIELD_TYPES).optional(),
  /** Which of two numbers of a date is the day; absent where it was not said and has to be asked. */
  dates: z.enum(DATE_ORDERS).optional(),
  /** The mark before decimals; absent as above. */
  decimal: z.enum(DECIMALS).optional(),
  /** What a choice may be. */
  options: z.array(plainText()).min(1).max(MOST_VALUES).optional()
});
export type ColumnPlan = z.infer<typeof columnSchema>;

const label = naming().pipe(z.string().min(1));
const ways = z.enum(['none', 'file', 'given', 'pending']);

export const planSchema = z
  .strictObject({
    reading: readingSchema,
    columns: z.array(columnSchema).max(MOST_COLUMNS),
    /** What happens to people who are known already. */
    known: z.enum(['update', 'fill', 'leave']),
    /** What becomes of a row with a value that does not fit its field. */
    misfits: z.enum(['refuse', 'leave out']),
    /** Put on everybody in the file, beside what its columns say. */
    tags: z.array(label).max(20),
    lists: z.array(label).max(20),
    /** Consent of everybody in the file by channel: as a column says, for all of them, or not spoken of. */
    consent: z.strictObject({
      email: ways,
      sms: ways,
      /** Where it was given; has to be said where any is brought. */
      source: plainText(LONGEST.name),
      /** What people agreed to, in the words they saw. */
      wording: plainText(LONGEST.words)
    }),
    /** Whoever was erased on request: refused, or taken in anew because they asked for it. */
    erased: z.enum(['refuse', 'take']).default('refuse'),
    /** Whether journeys hear of what changes. */
    begins: z.boolean()
  })
  .refine((p) => {
    const used = p.columns.map((c) => c.target).filter((t) => t !== 'ignore');
    return new Set(used).size === used.length;
  }, 'Two columns are taken as the same thing. Choose another for one of them.');
export type ImportPlan = z.infer<typeof planSchema>;

/** What a plan has to be asked before anything is imported; empty: nothing. */
export function openQuestions(plan: ImportPlan, header: readonly string[]): string[] {
  const questions: string[] = [];
  plan.columns.forEach((c, i) => {
    if (!c.target.startsWith('field:')) return;
    if ((c.type === 'date' || c.type === 'instant') && c.dates === undefined)
      questions.push(`“${header[i]}”: is the day or the month first?`);
    if (c.type === 'number' && c.decimal === undefined)
      questions.push(`“${header[i]}”: does a point or a comma stand before the decimals?`);
  });
  const { email, sms, source } = plan.consent;
  if ((email !== 'none' || sms !== 'none') && source.trim() === '')
    questions.push('Where was the consent given? Say its source.');
  if (!plan.columns.some((c) => c.target === 'email' || c.target === 'phone'))
    questions.push('Which column is the email address or the phone number?');
  return questions;
}
