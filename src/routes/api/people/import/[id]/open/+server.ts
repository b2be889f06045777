import { error, json } from '@sveltejs/kit';
import { z } from 'zod';
import { db } from '$server/app.ts';
import { BadFile } from '$server/imports/csv.ts';
import { openImport } from '$server/imports/imports.ts';
import { readingSchema } from '$server/imports/reading.ts';
import { readBody } from '../../../../body.ts';
import { wholeFile } from '../../open.ts';
import type { RequestHandler } from './$types';

const bodySchema = z.strictObject({
  /** An import of this file that is read another way. */
  again: z.strictObject({ id: z.number().int().positive(), reading: readingSchema }).optional()
});

/** Looks into an uploaded file: how it is written, and what its columns most likely are. */
export const POST: RequestHandler = async ({ request, params, locals }) => {
  const { again } = await readBody(request, bodySchema);
  const { file, bytes } = await wholeFile(params.id, locals.user?.id ?? 0);
  try {
    return json(
      await openImport(
        db(),
        { name: file.name, id: file.id, user: locals.user?.id ?? null, by: locals.user?.name ?? 'somebody' },
        bytes,
        again
      )
    );
  } catch (problem) {
    if (problem instanceof BadFile) error(400, problem.message);
    throw problem;
  }
};
