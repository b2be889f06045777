import { fail } from '@sveltejs/kit';
import { z } from 'zod';
import { db } from '$server/app.ts';
import { sendAgain, tryNow } from '$server/post/again.ts';
import { resume } from '$server/post/channels.ts';
import { settleDoubt } from '$server/post/doubts.ts';
import { tryAgain } from '$server/engine/set-aside.ts';
import { halt } from '$server/journeys/brake.ts';
import { today } from '$server/results/today.ts';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ depends }) => {
  depends('live:clock', 'live:people', 'live:journeys', 'live:post');
  return { today: await today(db()), crumbs: [{ name: 'Today' }] };
};

const channel = z.enum(['email', 'sms']);
/** A journey's key and a trouble: the messages of one line. */
const alike = z
  .string()
  .regex(/^[a-z0-9-]{1,60} [a-z-]{1,20}$/)
  .transform((text) => {
    const [journey = '', trouble = ''] = text.split(' ');
    return { journey, trouble };
  });

async function valueOf<T>(request: Request, schema: z.ZodType<T>): Promise<T | null> {
  return schema.safeParse((await request.formData()).get('value')).data ?? null;
}

const gone = (problem: string) => fail(409, { problem });

export const actions: Actions = {
  /** Tries all those again who are set aside. */
  aside: async () => {
    const people = await tryAgain(db(), null);
    return people ? { done: true } : gone('Nobody is set aside any more.');
  },
  /** Sending goes on in a channel that has stopped. */
  resume: async ({ request }) => {
    const which = await valueOf(request, channel);
    return which && (await resume(db(), which)) ? { done: true } : gone('Sending goes on already.');
  },
  /** All sending of the workspace stops, or goes on. */
  halt: async ({ request, locals }) => {
    const which = await valueOf(request, z.enum(['stop', 'go-on']));
    if (!which) return gone('Stop, or go on?');
    const done = await halt(db(), which === 'stop', locals.user?.name ?? '');
    return done ? { done: true } : gone('Somebody else was first: look at how it stands now.');
  },
  /** Messages of a journey that wait for the same reason are tried now. */
  retry: async ({ request }) => {
    const which = await valueOf(request, alike);
    return which && (await tryNow(db(), which)) ? { done: true } : gone('None of these messages waits any more.');
  },
  /** Many were refused at once, and it was our trouble or theirs: they are tried again, and nobody is suppressed for it. */
  doubt: async ({ request, locals }) => {
    const domain = await valueOf(request, z.string().max(260));
    const done =
      domain !== null && (await settleDoubt(db(), domain === 'all' ? '' : domain, false, locals.user?.name ?? 'hand'));
    return done ? { done: true } : gone('That was settled already.');
  },
  /** Messages of a journey that failed for the same reason are sent again. */
  again: async ({ request, locals }) => {
    const which = await valueOf(request, alike);
    if (!which) return gone('Which messages?');
    const { again, kept } = await sendAgain(db(), which, locals.user?.name ?? 'hand');
    if (!again) return gone('None of these messages can be sent again.');
    const note = kept ? ` ${kept} stay as they are: the address is suppressed, or there is no consent any more.` : '';
    return { done: true, note: `${again} ${again === 1 ? 'message goes' : 'messages go'} out again.${note}` };
  }
};
