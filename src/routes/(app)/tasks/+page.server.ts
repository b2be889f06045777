import { fail } from '@sveltejs/kit';
import { z } from 'zod';
import { plainText } from '$core/text/text.ts';
import { db } from '$server/app.ts';
import { doTask, tasks, type TaskView } from '$server/tasks/tasks.ts';
import type { Actions, PageServerLoad } from './$types';

const VIEWS: TaskView[] = ['mine', 'all', 'due', 'done'];

export const load: PageServerLoad = async ({ depends, url, locals }) => {
  depends('live:post');
  depends('live:clock');
  const asked = url.searchParams.get('view');
  const view = VIEWS.find((v) => v === asked) ?? 'mine';
  const me = locals.user ? [locals.user.email, locals.user.name] : [];
  return { view, ...(await tasks(db(), view, me)), crumbs: [{ name: 'Tasks' }] };
};

const done = z.object({ id: z.coerce.number().int().positive(), outcome: plainText(500) });

export const actions: Actions = {
  done: async ({ request, locals }) => {
    const read = done.safeParse(Object.fromEntries(await request.formData()));
    if (!read.success) return fail(400, { problem: read.error.issues[0]?.message ?? 'This cannot be read.' });
    const { id, outcome } = read.data;
    const by = locals.user?.name ?? '';
    if (!(await doTask(db(), id, by, outcome.trim() || null)))
      return fail(409, { problem: 'Somebody else has done this task already.' });
    return { done: id };
  }
};
