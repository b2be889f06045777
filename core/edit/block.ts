/**
 * Blocks: steps that stand one after the other, taken out, put in and carried about as one. As text a block is JSON that can
 * be read and written by hand, `ambulo.block/1`; a whole journey file is taken for its steps.
 */
import { z } from 'zod';
import { FORMAT, journeySchema } from '../journey/schema.ts';
import { isTooDeep, TOO_DEEP } from '../journey/depth.ts';
import { pathText, schemaProblems } from '../journey/problems.ts';
import { keyText } from '../journey/values.ts';
import { stepSchema, type Step } from '../steps/index.ts';
import { unfitInside } from '../text/text.ts';

export const BLOCK_FORMAT = 'ambulo.block/1';

/** Steps of one block, and characters of its text, at most: what a browser can lay out at once. */
const MOST_STEPS = 1000;
const LONGEST_TEXT = 4_000_000;

const blockSchema = z.strictObject({
  format: z.literal(BLOCK_FORMAT),
  /** Key of the journey it was taken from. */
  journey: keyText,
  steps: z.array(stepSchema).min(1).max(MOST_STEPS)
});
export type Block = z.infer<typeof blockSchema>;

export const blockText = (journey: string, steps: readonly Step[]): string =>
  JSON.stringify({ format: BLOCK_FORMAT, journey, steps }, null, 2);

/** A block from text; what is wrong with it where it is none. */
export function readBlock(text: string): { block: Block } | { problem: string } {
  if (text.length > LONGEST_TEXT) return { problem: 'what was copied is too long to be a block of steps' };
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch {
    const start = text.trim().slice(0, 30);
    return { problem: `what was copied is no block of steps: “${start}${text.trim().length > 30 ? '…' : ''}”` };
  }
  if (isTooDeep(value)) return { problem: TOO_DEEP };
  const unfit = unfitInside(value);
  if (unfit) return { problem: `${pathText(unfit.path)}: found ${unfit.what}, expected text without it` };
  const format = typeof value === 'object' && value !== null && 'format' in value ? value.format : undefined;
  if (format === FORMAT) {
    const journey = journeySchema.safeParse(value);
    if (!journey.success) return { problem: problemOf(journey.error, value) };
    if (!journey.data.lane.length) return { problem: 'this journey has no steps to paste' };
    return { block: { format: BLOCK_FORMAT, journey: journey.data.key, steps: journey.data.lane } };
  }
  if (format !== BLOCK_FORMAT)
    return { problem: `this is no block of steps: it would begin with "format": "${BLOCK_FORMAT}"` };
  const read = blockSchema.safeParse(value);
  return read.success ? { block: read.data } : { problem: problemOf(read.error, value) };
}

function problemOf(error: z.ZodError, value: unknown): string {
  const [first] = schemaProblems(error, value);
  return first ? `${pathText(first.path)}: ${first.message}` : 'it cannot be read';
}
