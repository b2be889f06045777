import { error, fail } from '@sveltejs/kit';
import { z } from 'zod';
import { naming, plainText } from '$core/text/text.ts';
import { db } from '$server/app.ts';
import { now } from '$server/workspace/clock.ts';
import { listPhones, replyFrom, StandInAway, textsOf } from '$server/standins/client.ts';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ url, depends }) => {
  depends('live:post', 'live:people');
  try {
    const phones = await listPhones();
    const number = url.searchParams.get('number') ?? phones[0]?.number ?? null;
    const { rows } = await db().query<{ phone: string; id: number; name: string }>(
      `select phone, id, coalesce(nullif(concat_ws(' ', first_name, last_name), ''), phone) as name from people where phone = any($1::text[])`,
      [phones.map((p) => p.number)]
    );
    const owners = Object.fromEntries(rows.map((r) => [r.phone, { id: r.id, name: r.name }]));
    return {
      phones,
      number,
      texts: number ? await textsOf(number) : [],
      owners,
      crumbs: [{ name: 'Stand-ins', href: '/stand-ins' }, { name: 'Handset' }]
    };
  } catch (problem) {
    if (problem instanceof StandInAway) error(502, problem.message);
    throw problem;
  }
};

const form = z.object({ number: plainText(40).min(3), text: naming(1000).min(1) });

export const actions: Actions = {
  default: async ({ request }) => {
    const read = form.safeParse(Object.fromEntries(await request.formData()));
    if (!read.success) return fail(400, { problem: 'Write something first, at most 1,000 letters.' });
    try {
      await replyFrom(read.data.number, read.data.text, await now(db()));
      return { sent: true };
    } catch (problem) {
      if (problem instanceof StandInAway) return fail(502, { problem: problem.message });
      throw problem;
    }
  }
};
