import { json } from '@sveltejs/kit';
import { z } from 'zod';
import { db } from '$server/app.ts';
import { askSkip, SkipError, stopSkip } from '$server/running/skip.ts';
import { now } from '$server/workspace/clock.ts';
import { readBody } from '../../body.ts';
import type { RequestHandler } from './$types';

const body = z.strictObject({
  /** "next": to the next thing due; `ms`: so much further; `at`: to an instant. */
  to: z.union([
    z.literal('next'),
    z.strictObject({
      ms: z
        .number()
        .int()
        .positive()
        .max(366 * 86_400_000)
    }),
    z.strictObject({ at: z.iso.datetime() })
  ]),
  passersBy: z.boolean()
});

export const POST: RequestHandler = async ({ request, locals }) => {
  const { to, passersBy } = await readBody(request, body);
  try {
    const target = to === 'next' ? null : 'at' in to ? Date.parse(to.at) : (await now(db())) + to.ms;
    await askSkip(db(), target, passersBy, locals.user?.name ?? '');
    return json({ ok: true }, { status: 202 });
  } catch (error) {
    if (error instanceof SkipError) return json({ message: error.message }, { status: 409 });
    throw error;
  }
};

export const DELETE: RequestHandler = async () => {
  await stopSkip(db());
  return json({ ok: true });
};
