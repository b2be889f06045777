import { error, json } from '@sveltejs/kit';
import { z } from 'zod';
import { conditionSchema } from '$core/condition/schema.ts';
import { db } from '$server/app.ts';
import { countPeople, TooLong } from '$server/people/counting.ts';
import { SettingsBook } from '$server/workspace/settings.ts';
import { readBody } from '../../body.ts';
import type { RequestHandler } from './$types';

/** Conditions counted at once: what a form shows. */
const MOST = 40;
const body = z.strictObject({ conditions: z.array(conditionSchema).min(1).max(MOST) });
const settings = new SettingsBook();

export const POST: RequestHandler = async ({ request }) => {
  const { conditions } = await readBody(request, body);
  try {
    return json(await countPeople(db(), settings, conditions));
  } catch (problem) {
    if (problem instanceof TooLong) error(problem.passes ? 503 : 422, problem.message);
    throw problem;
  }
};
