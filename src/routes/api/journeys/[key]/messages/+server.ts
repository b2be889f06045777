import { error, json } from '@sveltejs/kit';
import { z } from 'zod';
import { eachStep } from '$core/journey/walk-document.ts';
import { keyText } from '$core/journey/values.ts';
import { isMessage, kindOf } from '$core/steps/index.ts';
import { db } from '$server/app.ts';
import { sendAgain, tryNow } from '$server/post/again.ts';
import { journeyByKey, versionOf } from '$server/journeys/journeys.ts';
import { readBody } from '../../../body.ts';
import type { RequestHandler } from './$types';

const body = z.strictObject({ step: keyText, act: z.enum(['again', 'now']) });

/** The messages of a journey by their keys and names: as it is live, or as drafted where it never was. */
export const GET: RequestHandler = async ({ params }) => {
  const journey = await journeyByKey(db(), params.key);
  if (!journey) error(404, 'There is no such journey.');
  const live = journey.live_version === null ? null : await versionOf(db(), journey.id, journey.live_version);
  const messages = eachStep(live?.document ?? journey.draft)
    .filter(({ step }) => isMessage(step))
    .map(({ step }) => ({ key: step.key, title: kindOf(step).card(step).title }));
  return json({ messages });
};

/** Sends messages of a step that failed again, or tries those now that wait; says how many. */
export const POST: RequestHandler = async ({ params, request, locals }) => {
  const { step, act } = await readBody(request, body);
  if (!(await journeyByKey(db(), params.key))) error(404, 'There is no such journey.');
  const which = { journey: params.key, step };
  if (act === 'now') return json({ again: await tryNow(db(), which), kept: 0 });
  return json(await sendAgain(db(), which, locals.user?.name ?? 'hand'));
};
