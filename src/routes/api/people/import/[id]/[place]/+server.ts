import { error, json } from '@sveltejs/kit';
import { db } from '$server/app.ts';
import { keepPart, PART_BYTES } from '$server/imports/files.ts';
import { uploadId } from '../../open.ts';
import type { RequestHandler } from './$types';

/** Keeps one part of a file, counted from 0. */
export const PUT: RequestHandler = async ({ request, params, locals }) => {
  const place = Number(/^\d{1,4}$/.exec(params.place)?.[0] ?? NaN);
  if (Number.isNaN(place)) error(404, 'A file has no such part.');
  const bytes = new Uint8Array(await request.arrayBuffer());
  if (bytes.length > PART_BYTES) error(413, `A part has at most ${PART_BYTES} bytes.`);
  const kept = await keepPart(db(), locals.user?.id ?? 0, uploadId(params.id), place, bytes);
  if (!kept) error(404, 'This file is not here any more, or has no such part. Choose it again.');
  return json({ kept: bytes.length });
};
