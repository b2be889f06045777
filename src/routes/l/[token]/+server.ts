import { error } from '@sveltejs/kit';
import { db } from '$server/app.ts';
import { clicked } from '$server/intake/intake.ts';
import { fetchOf } from '../../fetch-of.ts';
import type { RequestHandler } from './$types';

/** A tracked link: leads only where the message's own link led. */
export const GET: RequestHandler = async ({ params, request }) => {
  const target = await clicked(db(), params.token, fetchOf(request));
  if (!target) error(404, 'There is nothing at this address.');
  return new Response(null, {
    status: 302,
    headers: { location: target, 'cache-control': 'no-store', 'referrer-policy': 'no-referrer' }
  });
};

/** Only looks where it leads: a machine's way. */
export const HEAD: RequestHandler = (event) => GET(event);
