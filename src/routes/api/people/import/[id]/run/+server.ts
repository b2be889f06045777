import { randomUUID } from 'node:crypto';
import { z } from 'zod';
import { db } from '$server/app.ts';
import { importRows } from '$server/people/import.ts';
import { dropFile } from '$server/people/import-files.ts';
import { checkRows } from '$server/people/rows.ts';
import { readBody } from '../../../../body.ts';
import { mappingSchema, openUpload, ownCountry } from '../../open.ts';
import { telling } from '../../telling.ts';
import type { RequestHandler } from './$types';

const bodySchema = z.strictObject({
  mapping: mappingSchema,
  begins: z.boolean(),
  total: z.number().int().min(0)
});

/** Imports the good rows; tells how far it is. Stopped between parts by closing the connection. */
export const POST: RequestHandler = async ({ request, params, locals }) => {
  const { mapping, begins, total } = await readBody(request, bodySchema);
  const { table, targets } = await openUpload(params.id, locals.user?.id ?? 0, mapping);
  return telling(
    request,
    async (tell, signal) => {
      const rows = checkRows(table, targets, await ownCountry());
      const end = await importRows(db(), rows, { importId: randomUUID(), begins, total, signal }, tell);
      if (!signal.aborted) await dropFile(db(), params.id);
      return end;
    },
    (problem) =>
      `The import stopped: ${problem.message}. What was counted until then is in; importing the file again updates it and adds the rest.`
  );
};
