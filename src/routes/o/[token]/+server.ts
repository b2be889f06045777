import { error } from '@sveltejs/kit';
import { db } from '$server/app.ts';
import { opened } from '$server/intake/intake.ts';
import { fetchOf } from '../../fetch-of.ts';
import type { RequestHandler } from './$types';

const PIXEL = Buffer.from('R0lGODlhAQABAIAAAAAAAP///yH5BAEAAAAALAAAAAABAAEAAAIBRAA7', 'base64');

const HEADERS = {
  'content-type': 'image/gif',
  'cache-control': 'no-store, private',
  'content-length': String(PIXEL.length)
};

/** The invisible picture of an email. */
export const GET: RequestHandler = async ({ params, request }) => {
  if (!(await opened(db(), params.token, fetchOf(request)))) error(404, 'There is nothing at this address.');
  return new Response(request.method === 'HEAD' ? null : PIXEL, { headers: HEADERS });
};

/** Only asks whether it is there: a machine's way. */
export const HEAD: RequestHandler = (event) => GET(event);
