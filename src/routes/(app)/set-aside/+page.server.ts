import { fail } from '@sveltejs/kit';
import { z } from 'zod';
import { db } from '$server/app.ts';
import { dropRequest, tryAgain } from '$server/engine/set-aside.ts';
import { setAsidePage, tryErrandAgain } from '$server/results/aside.ts';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ depends }) => {
  depends('live:post');
  return { ...(await setAsidePage(db())), crumbs: [{ name: 'Today', href: '/' }, { name: 'Set aside' }] };
};

const id = z.coerce.number().int().positive();
const gone = () => fail(409, { problem: 'That is not waiting any more.' });

export const actions: Actions = {
  /** One person, or everyone. */
  people: async ({ request }) => {
    const asked = (await request.formData()).get('person');
    const one = asked === null ? null : id.safeParse(asked);
    if (one && !one.success) return gone();
    const people = await tryAgain(db(), one ? [one.data] : null);
    return people ? { done: true } : gone();
  },
  /** What was asked for and makes their work fail is not carried out. */
  drop: async ({ request, locals }) => {
    const read = z.object({ person: id, id }).safeParse(Object.fromEntries(await request.formData()));
    if (!read.success || !(await dropRequest(db(), read.data.person, read.data.id, locals.user?.name ?? 'somebody')))
      return gone();
    return { done: true };
  },
  errand: async ({ request }) => {
    const read = z.object({ person: id, id }).safeParse(Object.fromEntries(await request.formData()));
    if (!read.success || !(await tryErrandAgain(db(), read.data.person, read.data.id))) return gone();
    return { done: true };
  }
};
