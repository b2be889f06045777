import { error } from '@sveltejs/kit';
import { z } from 'zod';
import { db } from '$server/app.ts';
import { MODEL_KINDS, withModel } from '$server/engagement/models.ts';
import { outlook } from '$server/engagement/preview.ts';
import { readSaved } from '$server/workspace/settings.ts';
import { readBody } from '../../body.ts';
import { telling } from '../import/telling.ts';
import type { RequestHandler } from './$types';

const bodySchema = z.strictObject({ kind: z.enum(MODEL_KINDS), definition: z.looseObject({ name: z.string() }) });

/** So many are worked out at once by one web server: each reads what is on record of everybody. */
const MOST = 3;
let running = 0;

/** How many would stand where with a ladder or model as given. Changes nobody; tells how many it has looked at. */
export const POST: RequestHandler = async ({ request }) => {
  const { kind, definition } = await readBody(request, bodySchema);
  const { settings } = await readSaved(db());
  const changed = withModel(settings, kind, definition);
  if (!changed.ok) error(422, changed.problems.join(' '));
  if (running >= MOST) error(429, 'Others look at what a change would do just now. It is tried again in a moment.');
  return telling(
    request,
    async (tell, signal) => {
      running++;
      try {
        return await outlook(
          db(),
          { kind, name: definition.name, before: settings, after: changed.settings },
          tell,
          signal
        );
      } finally {
        running--;
      }
    },
    (problem) => `What it would do could not be worked out: ${problem.message}. Nothing was changed.`
  );
};
