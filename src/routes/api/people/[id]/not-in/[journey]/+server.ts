import { error, json } from '@sveltejs/kit';
import { db } from '$server/app.ts';
import { whyNotIn } from '$server/people/why.ts';
import type { RequestHandler } from './$types';

/** Why a journey does not have somebody, or would take them, now. */
export const GET: RequestHandler = async ({ params }) => {
  const why = /^\d{1,15}$/.test(params.id) ? await whyNotIn(db(), Number(params.id), params.journey) : null;
  if (!why) error(404, 'There is no such person or journey.');
  return json(why);
};
