import { error, json } from '@sveltejs/kit';
import { z } from 'zod';
import { repaired } from '$core/text/text.ts';
import { db } from '$server/app.ts';
import { MOST_BYTES, tooLarge } from '$server/imports/csv.ts';
import { beginFile, PART_BYTES } from '$server/imports/files.ts';
import { readBody } from '../../body.ts';
import type { RequestHandler } from './$types';

const bodySchema = z.strictObject({
  name: z.string().transform((name) => repaired(name, 300)),
  bytes: z.number().int().min(0)
});

/** Makes room for a file of people; its parts come one after another. */
export const POST: RequestHandler = async ({ request, locals }) => {
  const { name, bytes } = await readBody(request, bodySchema);
  if (bytes === 0)
    error(400, 'This file is empty. The first line should name the columns, the others hold one person each.');
  if (bytes > MOST_BYTES) error(413, tooLarge(bytes));
  return json({ id: await beginFile(db(), locals.user?.id ?? 0, name, bytes), part: PART_BYTES });
};
