import { json } from '@sveltejs/kit';
import { db } from '$server/app.ts';
import type { RequestHandler } from './$types';

/** Whether the server can work: answers only when the database does. */
export const GET: RequestHandler = async () => {
  await db().query('select 1');
  return json({ ok: true });
};
