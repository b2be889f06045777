import { error, json } from '@sveltejs/kit';
import { z } from 'zod';
import { db } from '$server/app.ts';
import { changeSchema, selectionSchema } from '$server/selection/selection.ts';
import { countSelected, TooLong } from '$server/people/counting.ts';
import { typedChange } from '$server/people/by-hand.ts';
import { SettingsBook } from '$server/workspace/settings.ts';
import { readBody } from '../../body.ts';
import type { RequestHandler } from './$types';

const body = z.strictObject({ selection: selectionSchema.omit({ asked: true }), change: changeSchema.nullable() });
const settings = new SettingsBook();

/** How many people a selection holds, and of how many a change would be one. */
export const POST: RequestHandler = async ({ request }) => {
  const { selection, change: asked } = await readBody(request, body);
  const typed = asked ? await typedChange(db(), asked) : null;
  if (typed && !typed.ok) error(422, typed.problem);
  const change = typed?.change ?? null;
  try {
    return json(await countSelected(db(), settings, selection, change));
  } catch (problem) {
    if (problem instanceof TooLong) error(problem.passes ? 503 : 422, problem.message);
    throw problem;
  }
};
