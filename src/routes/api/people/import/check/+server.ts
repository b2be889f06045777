import { json } from '@sveltejs/kit';
import { db } from '$server/app.ts';
import { matchRows } from '$server/people/import.ts';
import { readUpload } from '../read.ts';
import type { RequestHandler } from './$types';

/** Rows of a preview, and refused rows named in full. */
const PREVIEW = 8;
const NAMED = 200;

/** What an import would do. Changes nothing. */
export const POST: RequestHandler = async ({ request }) => {
  const { name, table, targets, good, refused } = await readUpload(request);
  const { matched, refused: clashes } = await matchRows(db(), good);
  const all = [...refused, ...clashes].sort((a, b) => a.line - b.line);
  return json({
    name,
    header: table.header,
    targets,
    rows: table.rows.length,
    made: matched.filter((m) => m.person === null).length,
    updated: matched.filter((m) => m.person !== null).length,
    refused: all.slice(0, NAMED),
    refusedTotal: all.length,
    tags: [...new Set(matched.flatMap((m) => m.row.tags))].sort(),
    preview: table.rows.slice(0, PREVIEW)
  });
};
