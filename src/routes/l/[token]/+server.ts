import { error } from '@sveltejs/kit';
import { db } from '$server/app.ts';
import { clicked, targetOf } from '$server/intake/intake.ts';
import type { RequestHandler } from './$types';

/** A tracked link: leads only where the message's own link led. */
export const GET: RequestHandler = async ({ params }) => leadTo(await clicked(db(), params.token));

/** Only looks where it leads: nobody has followed it. */
export const HEAD: RequestHandler = async ({ params }) => leadTo(await targetOf(db(), params.token));

function leadTo(target: string | null): Response {
  if (!target) error(404, 'There is nothing at this address.');
  return new Response(null, {
    status: 302,
    headers: { location: target, 'cache-control': 'no-store', 'referrer-policy': 'no-referrer' }
  });
}
