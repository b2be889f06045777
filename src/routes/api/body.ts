import { error } from '@sveltejs/kit';
import { z } from 'zod';
import { isTooDeep, TOO_DEEP } from '$core/journey/depth.ts';
import { pathText, schemaProblems } from '$core/journey/problems.ts';
import { unfitInside } from '$core/text/text.ts';

/** A count of saves, as the database keeps it. */
export const revisionSchema = z.number().int().min(0).max(2_147_483_647);

/** A request's JSON body, checked; answers 400 and says what is wrong with it. */
export async function readBody<T>(request: Request, schema: z.ZodType<T>): Promise<T> {
  let value: unknown;
  try {
    value = await request.json();
  } catch {
    error(400, 'The body of this request is not JSON.');
  }
  if (isTooDeep(value)) error(400, `The body of this request: ${TOO_DEEP}.`);
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
