import { z } from 'zod';
import { db } from '$server/app.ts';
import { lookAt } from '$server/people/look.ts';
import { readBody } from '../../../../body.ts';
import { mappingSchema, openUpload, ownCountry } from '../../open.ts';
import { telling } from '../../telling.ts';
import type { RequestHandler } from './$types';

const bodySchema = z.strictObject({ mapping: mappingSchema });

/** What an import would do. Changes nothing; tells how many rows it has looked at. */
export const POST: RequestHandler = async ({ request, params, locals }) => {
  const { mapping } = await readBody(request, bodySchema);
  const { name, table, targets } = await openUpload(params.id, locals.user?.id ?? 0, mapping);
  return telling(
    request,
    async (tell, signal) => ({
      name,
      ...(await lookAt(db(), table, targets, await ownCountry(), (rows) => tell({ rows }), signal))
    }),
    (problem) => `The file could not be looked at: ${problem.message}. Nothing was imported; try again.`
  );
};
