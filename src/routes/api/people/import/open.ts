import { error } from '@sveltejs/kit';
import { isSupportedCountry, type CountryCode } from 'libphonenumber-js';
import { z } from 'zod';
import { db } from '$server/app.ts';
import { BadFile, openTable, type Table } from '$server/people/csv.ts';
import { importFile, partsOf } from '$server/people/import-files.ts';
import { guessTargets, targetSchema, type Target } from '$server/people/rows.ts';

/** The country of phone numbers written without one; `null`: they have to say it. */
export async function ownCountry(): Promise<CountryCode | null> {
  const { rows } = await db().query<{ country: string | null }>('select country from workspace');
  const country = rows[0]?.country ?? '';
  return isSupportedCountry(country) ? country : null;
}

export const mappingSchema = z.array(targetSchema).max(500).optional();

/** The id of an uploaded file; answers 404 for what cannot be one. */
export function uploadId(text: string): string {
  const read = z.uuid().safeParse(text);
  return read.success ? read.data : error(404, 'There is no such file.');
}

/** Opens an uploaded file for reading; answers 400, 404 or 409 and says what is wrong. */
export async function openUpload(
  id: string,
  user: number,
  mapping: string[] | undefined
): Promise<{ name: string; table: Table; targets: Target[] }> {
  const file = await importFile(db(), user, uploadId(id));
  if (!file) error(404, 'This file is not here any more. Choose it again.');
  if (!file.whole) error(409, 'Parts of this file have not arrived. Choose it again.');
  let table: Table;
  try {
    table = await openTable(partsOf(db(), file));
  } catch (problem) {
    if (problem instanceof BadFile) error(400, problem.message);
    throw problem;
  }
  return { name: file.name, table, targets: targetsOf(mapping, table) };
}

function targetsOf(mapping: string[] | undefined, table: Table): Target[] {
  if (!mapping) return guessTargets(table.header);
  if (mapping.length !== table.header.length) error(400, 'The mapping does not fit the columns of this file.');
  const used = mapping.filter((t) => t !== 'ignore');
  if (new Set(used).size !== used.length)
    error(400, 'Two columns are taken as the same thing. Choose another for one of them.');
  return mapping as Target[];
}
