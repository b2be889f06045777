import { error } from '@sveltejs/kit';
import { z } from 'zod';
import { hasMoreParts, isTooDeep, MOST_RULE_PARTS, TOO_DEEP } from '$core/journey/depth.ts';
import { pathText, schemaProblems } from '$core/journey/problems.ts';
import { unfitInside } from '$core/text/text.ts';

/** A count of saves, as the database keeps it. */
export const revisionSchema = z.number().int().min(0).max(2_147_483_647);

/**
 * A request's JSON body, checked; answers 400 and says what is wrong with it. `most`: brackets that it may have, more where it
 * holds a document whose own size is asked for apart.
 */
export async function readBody<T>(request: Request, schema: z.ZodType<T>, most = 2 * MOST_RULE_PARTS): Promise<T> {
  let value: unknown;
  try {
    value = await request.json();
  } catch {
    error(400, 'The body of this request is not JSON.');
  }
  if (isTooDeep(value)) error(400, `The body of this request: ${TOO_DEEP}.`);
  if (hasMoreParts(value, most)) error(413, `The body of this request: expected at most ${most} brackets.`);
  const unfit = unfitInside(value);
  if (unfit) error(400, `${pathText(unfit.path)}: found ${unfit.what}, expected text without it`);
  const read = schema.safeParse(value);
  if (read.success) return read.data;
  error(
    400,
    schemaProblems(read.error, value)
      .map((p) => `${pathText(p.path)}: ${p.message}`)
      .join('; ')
  );
}
