import { error, fail } from '@sveltejs/kit';
import { followLink, readMail, sendBack, StandInAway } from '$server/standins/client.ts';
import { now } from '$server/workspace/clock.ts';
import { db } from '$server/app.ts';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ params }) => {
  try {
    return { opened: await readMail(Number(params.id)) };
  } catch (problem) {
    if (problem instanceof StandInAway) error(404, problem.message);
    throw problem;
  }
};

const SENT: Record<string, string> = {
  reply: 'The answer was sent.',
  away: 'An automatic answer was sent.',
  gone: 'It was sent back: no such mailbox.',
  full: 'It was sent back: mailbox full.',
  prose: 'It was sent back, in prose.',
  spam: 'It was reported as spam.',
  unsubscribe: 'They unsubscribed by mail.'
};

export const actions: Actions = {
  /** An answer, a report or a complaint about it goes back by mail. */
  back: async ({ params, request }) => {
    const form = await request.formData();
    const kind = String(form.get('do') ?? '');
    const text = String(form.get('text') ?? '').slice(0, 5000);
    const sent = SENT[kind];
    if (!sent || (kind === 'reply' && !text.trim())) return fail(400, { problem: 'Write an answer first.' });
    try {
      await sendBack(Number(params.id), kind, text, await now(db()));
      return { sent };
    } catch (problem) {
      if (problem instanceof StandInAway) return fail(502, { problem: problem.message });
      throw problem;
    }
  },
  follow: async ({ request }) => {
    const url = String((await request.formData()).get('url') ?? '');
    try {
      const { status, location } = await followLink(url);
      return location ? { followed: location } : fail(502, { problem: `The link answered ${status} and led nowhere.` });
    } catch (problem) {
      if (problem instanceof StandInAway) return fail(502, { problem: problem.message });
      throw problem;
    }
  }
};
