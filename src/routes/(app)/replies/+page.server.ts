import { db } from '$server/app.ts';
import { replies } from '$server/results/replies.ts';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ depends }) => {
  depends('live:people');
  return { ...(await replies(db())), crumbs: [{ name: 'Replies' }] };
};
