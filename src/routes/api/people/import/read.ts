import { error } from '@sveltejs/kit';
import { z } from 'zod';
import {
  BadFile,
  checkRows,
  guessTargets,
  MOST_BYTES,
  readTable,
  targetSchema,
  type GoodRow,
  type Refused,
  type Table,
  type Target
} from '$server/people/csv.ts';

/** The country of phone numbers written without one. */
const COUNTRY = 'IE';
/** Room for the form around the file. */
const ENVELOPE = 100_000;

const mappingSchema = z.array(targetSchema).max(500);

export interface Uploaded {
  name: string;
  table: Table;
  targets: Target[];
  good: GoodRow[];
  refused: Refused[];
  form: FormData;
}

/** Reads an uploaded file and its mapping; answers 400 or 413 and says what is wrong. */
export async function readUpload(request: Request): Promise<Uploaded> {
  if (Number(request.headers.get('content-length') ?? 0) > MOST_BYTES + ENVELOPE) {
    error(
      413,
      `This file is larger than ${MOST_BYTES / 1048576} MB (about 250,000 people). Split it, and import the parts one after another.`
    );
  }
  const form = await request.formData();
  const file = form.get('file');
  if (!(file instanceof File)) error(400, 'Choose a file first.');
  let table: Table;
  try {
    table = readTable(new Uint8Array(await file.arrayBuffer()));
  } catch (problem) {
    if (problem instanceof BadFile) error(400, problem.message);
    throw problem;
  }
  const targets = mappingOf(form.get('mapping'), table);
  return { name: file.name, table, targets, form, ...checkRows(table, targets, COUNTRY) };
}

function mappingOf(text: FormDataEntryValue | null, table: Table): Target[] {
  if (typeof text !== 'string') return guessTargets(table.header);
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch {
    error(400, 'The mapping of columns cannot be read.');
  }
  const read = mappingSchema.safeParse(value);
  if (!read.success || read.data.length !== table.header.length)
    error(400, 'The mapping does not fit the columns of this file.');
  const used = read.data.filter((t) => t !== 'ignore');
  if (new Set(used).size !== used.length)
    error(400, 'Two columns are taken as the same thing. Choose another for one of them.');
  return read.data as Target[];
}
