import { error } from '@sveltejs/kit';
import { config, db } from '$server/app.ts';
import { everythingOf, zipOf } from '$server/protection/everything.ts';
import type { RequestHandler } from './$types';

/** Everything of one person as one ZIP. */
export const GET: RequestHandler = async ({ params }) => {
  const id = Number(/^\d{1,15}$/.exec(params.id)?.[0] ?? NaN);
  const files = Number.isNaN(id) ? null : await everythingOf(db(), id, config().MAIL_FROM);
  if (!files) error(404, 'There is no such person.');
  return new Response(Buffer.from(await zipOf(files)), {
    headers: {
      'content-type': 'application/zip',
      'content-disposition': `attachment; filename="person-${id}.zip"`,
      'cache-control': 'no-store'
    }
  });
};
