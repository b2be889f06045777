import { fail } from '@sveltejs/kit';
import { z } from 'zod';
import { naming, plainText } from '$core/text/text.ts';
import { db } from '$server/app.ts';
import { doubts, liftMany, settleDoubt, suppressionGroups } from '$server/post/doubts.ts';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ depends }) => {
  depends('live:post', 'live:people');
  const [groups, inDoubt] = await Promise.all([suppressionGroups(db()), doubts(db())]);
  return { groups, doubts: inDoubt, crumbs: [{ name: 'People', href: '/people' }, { name: 'Suppressed' }] };
};

const reason = naming(200).min(1, 'Say why they may be written to again.');
const lifting = z.object({ domain: plainText(260), day: z.iso.date(), answer: plainText(400), reason });

export const actions: Actions = {
  /** Whose trouble it was: theirs and over, or those addresses are gone. */
  settle: async ({ request, locals }) => {
    const read = z
      .object({ domain: plainText(260), is: z.enum(['gone', 'over']) })
      .safeParse(Object.fromEntries(await request.formData()));
    if (!read.success) return fail(400, { problem: 'Which domain?' });
    const done = await settleDoubt(db(), read.data.domain, read.data.is === 'gone', locals.user?.name ?? 'hand');
    return done ? { done: true } : fail(409, { problem: 'That was settled already.' });
  },
  /** All addresses of one domain, day and answer may be written to again. */
  lift: async ({ request, locals }) => {
    const read = lifting.safeParse(Object.fromEntries(await request.formData()));
    if (!read.success) return fail(400, { problem: read.error.issues[0]?.message ?? 'Which addresses?' });
    const { reason: why, ...which } = read.data;
    const lifted = await liftMany(db(), which, locals.user?.name ?? 'hand', why);
    return lifted ? { done: true, lifted } : fail(409, { problem: 'None of them is suppressed any more.' });
  }
};
