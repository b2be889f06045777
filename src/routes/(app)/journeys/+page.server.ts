import { fail, redirect } from '@sveltejs/kit';
import { z } from 'zod';
import { naming } from '$core/text/text.ts';
import { db } from '$server/app.ts';
import { createJourney, emptyJourney } from '$server/journeys/journeys.ts';
import { journeyLines } from '$server/results/journeys-table.ts';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ depends }) => {
  depends('live:journeys');
  return { journeys: await journeyLines(db()), crumbs: [{ name: 'Journeys' }] };
};

const form = z.object({ name: naming(120).min(1), folder: naming(60).default(''), sketch: z.literal('1').optional() });

export const actions: Actions = {
  create: async ({ request, locals }) => {
    const read = form.safeParse(Object.fromEntries(await request.formData()));
    if (!read.success) return fail(400, { problem: 'Give the journey a name of at most 120 letters.' });
    const key = await createJourney(
      db(),
      emptyJourney(read.data.name),
      locals.user?.name ?? '',
      read.data.folder,
      read.data.sketch === '1'
    );
    redirect(303, `/journeys/${key}`);
  }
};
