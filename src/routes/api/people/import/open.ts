import { error } from '@sveltejs/kit';
import { z } from 'zod';
import { db } from '$server/app.ts';
import type { Bytes } from '$server/imports/csv.ts';
import { importFile, partsOf, type ImportFile } from '$server/imports/files.ts';

/** The id of an uploaded file; answers 404 for what cannot be one. */
export function uploadId(text: string): string {
  const read = z.uuid().safeParse(text);
  return read.success ? read.data : error(404, 'There is no such file.');
}

/** An uploaded file that is here as a whole; answers 404 or 409 and says what is wrong. */
export async function wholeFile(id: string, user: number): Promise<{ file: ImportFile; bytes: () => Bytes }> {
  const file = await importFile(db(), user, uploadId(id));
  if (!file) error(404, 'This file is not here any more. Choose it again.');
  if (!file.whole) error(409, 'Parts of this file have not arrived. Choose it again.');
  return { file, bytes: () => partsOf(db(), file) };
}
