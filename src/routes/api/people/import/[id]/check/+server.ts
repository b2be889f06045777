import { z } from 'zod';
import { db } from '$server/app.ts';
import { readImport } from '$server/imports/imports.ts';
import { planSchema } from '$server/imports/plan.ts';
import { readBody } from '../../../../body.ts';
import { wholeFile } from '../../open.ts';
import { telling } from '../../telling.ts';
import type { RequestHandler } from './$types';

const bodySchema = z.strictObject({ import: z.number().int().positive(), plan: planSchema });

/** Reads all of a file by a plan: what importing it would do. Changes nobody; tells how many rows it has looked at. */
export const POST: RequestHandler = async ({ request, params, locals }) => {
  const { import: id, plan } = await readBody(request, bodySchema);
  const { bytes } = await wholeFile(params.id, locals.user?.id ?? 0);
  return telling(
    request,
    async (tell, signal) => {
      const preview = await readImport(db(), id, plan, bytes(), (rows) => tell({ rows }), signal);
      return preview ? { preview } : {};
    },
    (problem) => `The file could not be read: ${problem.message}. Nothing was imported; try again.`
  );
};
