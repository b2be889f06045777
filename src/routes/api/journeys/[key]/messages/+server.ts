import { error, json } from '@sveltejs/kit';
import { z } from 'zod';
import { keyText } from '$core/journey/values.ts';
import { db } from '$server/app.ts';
import { sendAgain, tryNow } from '$server/engine/again.ts';
import { journeyByKey } from '$server/journeys/journeys.ts';
import { readBody } from '../../../body.ts';
import type { RequestHandler } from './$types';

const body = z.strictObject({ step: keyText, act: z.enum(['again', 'now']) });

/** Sends messages of a step that failed again, or tries those now that wait; says how many. */
export const POST: RequestHandler = async ({ params, request }) => {
  const { step, act } = await readBody(request, body);
  if (!(await journeyByKey(db(), params.key))) error(404, 'There is no such journey.');
  const which = { journey: params.key, step };
  if (act === 'now') return json({ again: await tryNow(db(), which), kept: 0 });
  return json(await sendAgain(db(), which));
};
