import { error, json } from '@sveltejs/kit';
import { z } from 'zod';
import { db } from '$server/app.ts';
import { askChangeOf } from '$server/crowds/changes.ts';
import { changeSchema, selectionSchema } from '$server/crowds/selection.ts';
import { typedChange } from '$server/people/by-hand.ts';
import { readBody } from '../../body.ts';
import type { RequestHandler } from './$types';

const body = z.strictObject({
  selection: selectionSchema.omit({ asked: true }),
  change: changeSchema,
  expected: z.number().int().min(0).max(1_000_000_000)
});

/** Does something with everybody of a selection. */
export const POST: RequestHandler = async ({ request, locals }) => {
  const { selection, change: asked, expected } = await readBody(request, body);
  const typed = await typedChange(db(), asked);
  if (!typed.ok) error(422, typed.problem);
  const { change } = typed;
  const id = await askChangeOf(db(), { selection, change, expected, by: locals.user?.name ?? '' });
  if (id === null) error(409, 'That journey takes nobody in now. Nothing was done.');
  return json({ id });
};
