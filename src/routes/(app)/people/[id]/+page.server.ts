import { error, fail } from '@sveltejs/kit';
import { z } from 'zod';
import { db } from '$server/app.ts';
import { readClock } from '$server/clock/clock.ts';
import { retryMessage } from '$server/engine/retry.ts';
import { askChange, askEntry } from '$server/people/inputs.ts';
import { personPage, tagCatalogue } from '$server/people/people.ts';
import type { Actions, PageServerLoad } from './$types';

const idOf = (text: string): number => {
  if (!/^\d{1,15}$/.test(text)) error(404, 'There is no such person.');
  return Number(text);
};

export const load: PageServerLoad = async ({ params, depends }) => {
  depends('app:live');
  const [person, tags, clock, live] = await Promise.all([
    personPage(db(), idOf(params.id)),
    tagCatalogue(db()),
    readClock(db()),
    db().query<{ key: string; name: string }>(`select key, name from journeys where state = 'live' order by name`)
  ]);
  if (!person) error(404, 'There is no such person.');
  return {
    person,
    tags: tags.map((t) => t.name),
    now: clock.now,
    live: live.rows,
    crumbs: [{ name: 'People', href: '/people' }, { name: person.name }]
  };
};

const tag = z.string().trim().min(1).max(80);

export const actions: Actions = {
  tag: async ({ params, request, locals }) => {
    const data = await request.formData();
    const read = tag.safeParse(data.get('tag'));
    if (!read.success) return fail(400, { problem: 'Name a tag of at most 80 letters.' });
    const change = data.get('on') === 'no' ? { removeTags: [read.data] } : { addTags: [read.data] };
    await askChange(db(), [idOf(params.id)], change, locals.user?.name ?? 'hand');
    return { done: true };
  },
  enter: async ({ params, request, locals }) => {
    const key = String((await request.formData()).get('journey') ?? '');
    const { rowCount } = await db().query(`select from journeys where key = $1 and state = 'live'`, [key]);
    if (!rowCount) return fail(400, { problem: 'Choose a journey that is live.' });
    await askEntry(db(), [idOf(params.id)], key, locals.user?.name ?? 'hand');
    return { done: true };
  },
  retry: async ({ params, request }) => {
    const message = z.coerce
      .number()
      .int()
      .positive()
      .safeParse((await request.formData()).get('message'));
    const done = message.success && (await retryMessage(db(), idOf(params.id), message.data));
    return done ? { done: true } : fail(409, { problem: 'This message is not waiting to be tried again.' });
  }
};
