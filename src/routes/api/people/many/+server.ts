import { error, json } from '@sveltejs/kit';
import { z } from 'zod';
import { db } from '$server/app.ts';
import { askChangeOf } from '$server/crowds/changes.ts';
import { changeSchema, selectionSchema, type Selection } from '$server/selection/selection.ts';
import { countSelected } from '$server/people/counting.ts';
import { SettingsBook } from '$server/workspace/settings.ts';
import { typedChange } from '$server/people/by-hand.ts';
import { readBody } from '../../body.ts';
import type { RequestHandler } from './$types';

const settings = new SettingsBook();
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
  if (change.act === 'erase') await maybeErased(selection, expected);
  const id = await askChangeOf(db(), { selection, change, expected, by: locals.user?.name ?? '' });
  if (id === null) error(409, 'That journey takes nobody in now. Nothing was done.');
  return json({ id });
};

/** What is for good goes by what was seen: never by nothing chosen at all, and not once there are others than were shown. */
async function maybeErased(selection: Selection, expected: number): Promise<void> {
  if (!selection.where && !selection.text && !selection.ids)
    error(400, 'Everybody is never erased at once: say whom, by a rule, by letters, or by ticking them.');
  const { people, exact } = await countSelected(db(), settings, selection, null);
  if (exact && people !== expected)
    error(409, `There are ${people.toLocaleString('en')} of them now. Nothing was done: look again, then say so.`);
}
