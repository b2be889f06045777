import { error, json } from '@sveltejs/kit';
import { z } from 'zod';
import { db } from '$server/app.ts';
import { bringFile, LONGEST_FILE, lookAtFile } from '$server/journeys/bring.ts';
import { readBody } from '../../body.ts';
import type { RequestHandler } from './$types';

const body = z.strictObject({
  text: z
    .string()
    .max(LONGEST_FILE, { error: `expected a file of at most ${LONGEST_FILE / 1_000_000} million characters` }),
  /** Only looks; changes nothing. */
  look: z.boolean(),
  makeFields: z.boolean()
});

/** Brings a journey file in: says what it is and what it lacks here, or all that is wrong with it; then makes a draft of it. */
export const POST: RequestHandler = async ({ request, locals }) => {
  const { text, look, makeFields } = await readBody(request, body);
  if (look) return json(await lookAtFile(db(), text));
  const key = await bringFile(db(), text, locals.user?.name ?? '', makeFields);
  if (key === null) error(400, 'This is no journey file any more. Choose it again.');
  return json({ key });
};
