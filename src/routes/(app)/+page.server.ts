import { db } from '$server/app.ts';
import { today } from '$server/results/today.ts';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ depends }) => {
  depends('app:live');
  return { today: await today(db()), crumbs: [{ name: 'Today' }] };
};
