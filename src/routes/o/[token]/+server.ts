import { error } from '@sveltejs/kit';
import { db } from '$server/app.ts';
import { isPixel, opened } from '$server/intake/intake.ts';
import type { RequestHandler } from './$types';

const PIXEL = Buffer.from('R0lGODlhAQABAIAAAAAAAP///yH5BAEAAAAALAAAAAABAAEAAAIBRAA7', 'base64');

const HEADERS = {
  'content-type': 'image/gif',
  'cache-control': 'no-store, private',
  'content-length': String(PIXEL.length)
};

/** The invisible picture of an email. */
export const GET: RequestHandler = async ({ params }) => {
  if (!(await opened(db(), params.token))) error(404, 'There is nothing at this address.');
  return new Response(PIXEL, { headers: HEADERS });
};

/** Only asks whether it is there: nobody has opened anything. */
export const HEAD: RequestHandler = async ({ params }) => {
  if (!(await isPixel(db(), params.token))) error(404, 'There is nothing at this address.');
  return new Response(null, { headers: HEADERS });
};
