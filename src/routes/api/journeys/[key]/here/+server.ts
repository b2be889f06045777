import { error, json } from '@sveltejs/kit';
import { z } from 'zod';
import { keyText } from '$core/journey/values.ts';
import { db } from '$server/app.ts';
import { goneFrom, hereToo } from '$server/journeys/open-drafts.ts';
import { readBody } from '../../../body.ts';
import type { RequestHandler } from './$types';

const body = z.strictObject({ place: z.uuid(), step: keyText.nullable(), gone: z.boolean().optional() });

/** A sheet says that it is open, and learns who else has it open. */
export const POST: RequestHandler = async ({ request, params, locals }) => {
  const { place, step, gone } = await readBody(request, body);
  if (gone) {
    await goneFrom(db(), params.key, place);
    return json({});
  }
  const found = await hereToo(db(), params.key, { place, step, name: locals.user?.name ?? '' });
  if (!found) error(404, 'This journey has been deleted.');
  return json(found);
};
