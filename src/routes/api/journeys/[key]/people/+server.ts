import { error, json } from '@sveltejs/kit';
import { z } from 'zod';
import { db } from '$server/app.ts';
import { journeyByKey } from '$server/journeys/journeys.ts';
import { askEntry } from '$server/people/inputs.ts';
import { peopleOf, type PeopleQuery } from '$server/results/sheet-figures.ts';
import { readBody } from '../../../body.ts';
import type { RequestHandler } from './$types';

/** Who stands on a step, or took a lane. */
export const GET: RequestHandler = async ({ params, url }) => {
  const journey = await journeyByKey(db(), params.key);
  if (!journey) error(404, 'There is no such journey.');
  const step = url.searchParams.get('step');
  const lane = url.searchParams.get('lane');
  const query: PeopleQuery = step && lane ? { on: 'lane', step, lane } : step ? { on: 'step', step } : { on: 'all' };
  return json(await peopleOf(db(), journey.id, null, query));
};

const body = z.strictObject({
  people: z.array(z.number().int().positive().max(Number.MAX_SAFE_INTEGER)).min(1).max(10_000)
});

/** Puts people in by hand. */
export const POST: RequestHandler = async ({ params, request, locals }) => {
  const { people } = await readBody(request, body);
  const journey = await journeyByKey(db(), params.key);
  if (!journey) error(404, 'There is no such journey.');
  if (journey.state !== 'live') error(409, 'This journey is not live, so nobody can be put in. Set it live first.');
  const asked = await askEntry(db(), people, params.key, locals.user?.name ?? 'hand');
  if (!asked) error(404, 'None of these people is here any more.');
  return json({ asked }, { status: 202 });
};
