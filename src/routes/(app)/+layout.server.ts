import { error } from '@sveltejs/kit';
import { db } from '$server/app.ts';
import { readClock } from '$server/workspace/clock.ts';
import { latestSkip } from '$server/running/skip.ts';
import type { LayoutServerLoad } from './$types';

export const load: LayoutServerLoad = async ({ locals, depends }) => {
  depends('live:clock');
  if (!locals.user) error(401, 'Sign in first.');
  const [clock, skip] = await Promise.all([readClock(db()), latestSkip(db())]);
  return { user: locals.user, clock, skip };
};
