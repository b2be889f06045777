import { error, json } from '@sveltejs/kit';
import { z } from 'zod';
import { db } from '$server/app.ts';
import { journeyByKey, saveDraft } from '$server/journeys/journeys.ts';
import { MOST_PARTS } from '$core/journey/size.ts';
import { readBody, revisionSchema } from '../../../body.ts';
import type { RequestHandler } from './$types';

const body = z.strictObject({ revision: revisionSchema, document: z.unknown() });

const STATUS = { gone: 404, changed: 409, bad: 400, locked: 423 };

/** The draft as it stands, for whoever has an older one open. */
export const GET: RequestHandler = async ({ params }) => {
  const journey = await journeyByKey(db(), params.key);
  if (!journey) error(404, 'This journey has been deleted.');
  return json({ revision: journey.draft_revision, document: journey.draft, by: journey.draft_saved_by });
};

export const PUT: RequestHandler = async ({ request, params, locals }) => {
  const { revision, document } = await readBody(request, body, MOST_PARTS);
  const saved = await saveDraft(db(), params.key, revision, document, locals.user?.name ?? '');
  if (saved.ok) return json({ revision: saved.revision, savedAt: saved.savedAt });
  return json({ message: saved.message, current: saved.current }, { status: STATUS[saved.kind] });
};
