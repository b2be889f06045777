import { error, fail, redirect } from '@sveltejs/kit';
import { z } from 'zod';
import { db } from '$server/app.ts';
import { getConfig, latestOf } from '$server/config.ts';
import { BRAKE_ACTS, brake, brakeFigures, deleteJourney, lastAct } from '$server/journeys/brake.ts';
import { journeyByKey, journeyNames, versionOf } from '$server/journeys/journeys.ts';
import { fieldNames } from '$server/people/field-names.ts';
import { tagNames } from '$server/people/people.ts';
import { scoreNames } from '$server/people/shown.ts';
import { samplePeople } from '$server/people/sample.ts';
import { crowdsOf, stopCrowd } from '$server/crowds/crowds.ts';
import { sheetFigures } from '$server/results/sheet-figures.ts';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ params, depends }) => {
  const journey = await journeyByKey(db(), params.key);
  if (!journey) error(404, 'There is no such journey. It may have been deleted.');
  depends(`live:journey:${journey.id}`);
  const [live, brakes, last, crowds, figures, tags, fields, scores, journeys, sample] = await Promise.all([
    journey.live_version === null ? null : versionOf(db(), journey.id, journey.live_version),
    brakeFigures(db(), journey.id, latestOf(getConfig())),
    lastAct(db(), journey.id),
    crowdsOf(db(), journey.id),
    journey.live_version === null ? null : sheetFigures(db(), journey.id, null),
    tagNames(db()),
    fieldNames(db()),
    scoreNames(db()),
    journeyNames(db()),
    samplePeople(db())
  ]);
  return {
    journey: {
      key: journey.key,
      name: journey.name,
      state: journey.state,
      draft: journey.draft,
      revision: journey.draft_revision,
      savedAt: journey.draft_saved_at,
      version: journey.live_version
    },
    live: live && { document: live.document, since: live.live_from },
    brakes,
    last,
    crowds,
    figures,
    tags,
    fields,
    scores,
    journeys,
    sample,
    crumbs: [
      { name: 'Journeys', href: '/journeys' },
      ...(journey.folder ? [{ name: journey.folder, href: '/journeys' }] : []),
      { name: journey.name }
    ]
  };
};

const act = z.enum(BRAKE_ACTS);
const crowdAct = z.object({ id: z.coerce.number().int().positive(), stop: z.enum(['0', '1']) });

export const actions: Actions = {
  /** Pauses, closes, or lets it go on. */
  brake: async ({ params, request, locals }) => {
    const read = act.safeParse((await request.formData()).get('act'));
    if (!read.success) return fail(400, { problem: 'There is no such act.' });
    const done = await brake(db(), params.key, read.data, locals.user?.name ?? '');
    return done ? {} : fail(409, { problem: 'Somebody else was first: look at how it stands now.' });
  },
  delete: async ({ params, locals }) => {
    if (!(await deleteJourney(db(), params.key, locals.user?.name ?? '')))
      return fail(409, {
        problem: 'Somebody was in this journey. Archive it instead: what they were sent stays on record.'
      });
    redirect(303, '/journeys');
  },
  /** Stops people who are coming in, or lets them go on. */
  crowd: async ({ request }) => {
    const read = crowdAct.safeParse(Object.fromEntries(await request.formData()));
    const done = read.success && (await stopCrowd(db(), read.data.id, read.data.stop === '1'));
    return done ? {} : fail(409, { problem: 'That is over already.' });
  }
};
