import { error, json } from '@sveltejs/kit';
import { z } from 'zod';
import { db } from '$server/app.ts';
import { beginImport, stopImport, undoImport } from '$server/imports/imports.ts';
import { planSchema } from '$server/imports/plan.ts';
import { readBody } from '../../../body.ts';
import type { RequestHandler } from './$types';

const bodySchema = z.strictObject({
  act: z.enum(['begin', 'stop', 'go on', 'undo']),
  /** Of a beginning: the plan that was seen; where another one was read since, nothing is begun. */
  plan: planSchema.optional()
});

/** Begins, stops, lets go on or takes back an import. */
export const POST: RequestHandler = async ({ request, params, locals }) => {
  const { act, plan } = await readBody(request, bodySchema);
  const id = Number(/^\d{1,15}$/.exec(params.number)?.[0] ?? NaN);
  if (Number.isNaN(id)) error(404, 'There is no such import.');
  if (act === 'begin') {
    const begun = await beginImport(db(), id, locals.user?.name ?? 'somebody', plan);
    if (!begun.ok) error(409, begun.problem);
  } else {
    const done = act === 'undo' ? await undoImport(db(), id) : await stopImport(db(), id, act === 'stop');
    if (!done) error(409, 'This import is not in a state for that any more. Load the page anew to see how it stands.');
  }
  return json({});
};
