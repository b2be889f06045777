import { error } from '@sveltejs/kit';
import { z } from 'zod';
import { db } from '$server/app.ts';
import { EXPORT_FORMATS, exported } from '$server/people/export.ts';
import { fieldNames, OWN_FIELDS } from '$server/engine/field-names.ts';
import { SettingsBook } from '$server/workspace/settings.ts';
import { streamed } from '$server/streamed.ts';
import { selectionFrom } from '$ui/people/selection.ts';
import type { RequestHandler } from './$types';

const settings = new SettingsBook();

/** The people whom the table shows, all pages of it, as CSV or NDJSON. */
export const GET: RequestHandler = async ({ url }) => {
  const format = z.enum(EXPORT_FORMATS).safeParse(url.searchParams.get('format'));
  const selection = selectionFrom(url.searchParams);
  if (!format.success || !selection) error(400, 'Choose CSV or NDJSON, and a rule that can be read.');
  const fields = (await fieldNames(db())).slice(OWN_FIELDS);
  const lines = exported(db(), settings, selection, format.data, fields);
  return streamed(lines, {
    'content-type': format.data === 'csv' ? 'text/csv; charset=utf-8' : 'application/x-ndjson',
    'content-disposition': `attachment; filename="people.${format.data}"`
  });
};
