import { db } from '$server/app.ts';
import { keyOf } from '$server/api/keys.ts';
import { metrics } from '$server/results/metrics.ts';
import type { RequestHandler } from './$types';

/** For programs with a key that may read figures, and for whoever is signed in. */
export const GET: RequestHandler = async ({ request, locals }) => {
  if (!locals.user) {
    const key = await keyOf(db(), request.headers.get('authorization'));
    if (!key?.scopes.includes('metrics:read'))
      return new Response('This needs a key that may read figures, as "Authorization: Bearer …".\n', {
        status: 401,
        headers: { 'www-authenticate': 'Bearer' }
      });
  }
  const { type, text } = await metrics(db());
  return new Response(text, { headers: { 'content-type': type } });
};
