import { error, json } from '@sveltejs/kit';
import { db } from '$server/app.ts';
import { whyLine } from '$server/people/why.ts';
import type { RequestHandler } from './$types';

/** Why a line of somebody's trail says what it says. */
export const GET: RequestHandler = async ({ params }) => {
  if (![params.id, params.line].every((text) => /^\d{1,15}$/.test(text))) error(404, 'There is no such line.');
  const why = await whyLine(db(), Number(params.id), Number(params.line));
  if (!why) error(404, 'That is not on record any more.');
  return json(why);
};
