import { error, json } from '@sveltejs/kit';
import { db } from '$server/app.ts';
import { TooLong, valuesOf } from '$server/people/counting.ts';
import type { RequestHandler } from './$types';

export const GET: RequestHandler = async ({ params }) => {
  try {
    return json({ values: await valuesOf(db(), params.name) });
  } catch (problem) {
    if (problem instanceof TooLong) error(503, problem.message);
    throw problem;
  }
};
