import { error, json } from '@sveltejs/kit';
import { z } from 'zod';
import { keyText } from '$core/journey/values.ts';
import { naming, plainText } from '$core/text/text.ts';
import { db } from '$server/app.ts';
import { acceptedIn, acceptFinding } from '$server/journeys/accepted.ts';
import { journeyByKey } from '$server/journeys/journeys.ts';
import { readBody } from '../../../body.ts';
import type { RequestHandler } from './$types';

const body = z.strictObject({
  check: keyText,
  step: keyText.nullable(),
  text: plainText(1000),
  reason: naming(200).min(1, { error: 'expected a reason' }).nullable()
});

/** Accepts a finding with a reason, or takes that back (`reason: null`); gives all that are accepted. */
export const POST: RequestHandler = async ({ request, params, locals }) => {
  const { reason, ...finding } = await readBody(request, body);
  const journey = await journeyByKey(db(), params.key);
  if (!journey) error(404, 'This journey has been deleted.');
  await acceptFinding(db(), params.key, { ...finding, severity: 'remark' }, reason, locals.user?.name ?? '');
  return json({ accepted: await acceptedIn(db(), journey.id) });
};
