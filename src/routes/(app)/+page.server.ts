import { fail } from '@sveltejs/kit';
import { db } from '$server/app.ts';
import { tryAgain } from '$server/engine/set-aside.ts';
import { today } from '$server/results/today.ts';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ depends }) => {
  depends('app:live');
  return { today: await today(db()), crumbs: [{ name: 'Today' }] };
};

export const actions: Actions = {
  /** Tries all those again who are set aside. */
  aside: async () => {
    const people = await tryAgain(db(), null);
    return people ? { done: true } : fail(409, { problem: 'Nobody is set aside any more.' });
  }
};
