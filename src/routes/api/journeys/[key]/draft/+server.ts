import { json } from '@sveltejs/kit';
import { z } from 'zod';
import { db } from '$server/app.ts';
import { saveDraft } from '$server/journeys/journeys.ts';
import { readBody, revisionSchema } from '../../../body.ts';
import type { RequestHandler } from './$types';

const body = z.strictObject({ revision: revisionSchema, document: z.unknown() });

const STATUS = { gone: 404, changed: 409, bad: 400 };

export const PUT: RequestHandler = async ({ request, params }) => {
  const { revision, document } = await readBody(request, body);
  const saved = await saveDraft(db(), params.key, revision, document);
  if (saved.ok) return json({ revision: saved.revision, savedAt: saved.savedAt });
  return json({ message: saved.message }, { status: STATUS[saved.kind] });
};
