import { error } from '@sveltejs/kit';
import type { z } from 'zod';
import { pathText, schemaProblems } from '$core/journey/problems.ts';

/** A request's JSON body, checked; answers 400 and says what is wrong with it. */
export async function readBody<T>(request: Request, schema: z.ZodType<T>): Promise<T> {
  let value: unknown;
  try {
    value = await request.json();
  } catch {
    error(400, 'The body of this request is not JSON.');
  }
  const read = schema.safeParse(value);
  if (read.success) return read.data;
  error(
    400,
    schemaProblems(read.error, value)
      .map((p) => `${pathText(p.path)}: ${p.message}`)
      .join('; ')
  );
}
