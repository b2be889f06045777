import { error } from '@sveltejs/kit';
import { db } from '$server/app.ts';
import { fileOf } from '$server/imports/imports.ts';
import { partsOf } from '$server/imports/files.ts';
import { refusedRows } from '$server/imports/refused.ts';
import { streamed } from '$server/streamed.ts';
import type { RequestHandler } from './$types';

/** The refused rows of an import as CSV, with a column that says why. */
export const GET: RequestHandler = async ({ params }) => {
  const id = Number(/^\d{1,15}$/.exec(params.number)?.[0] ?? NaN);
  const one = Number.isNaN(id) ? null : await fileOf(db(), id);
  if (!one) error(404, 'There is no such import, or its file is not kept any more.');
  return streamed(refusedRows(db(), one, partsOf(db(), one.file)), {
    'content-type': 'text/csv; charset=utf-8',
    'content-disposition': 'attachment; filename="refused.csv"'
  });
};
