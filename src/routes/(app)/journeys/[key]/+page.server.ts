import { error, fail } from '@sveltejs/kit';
import { z } from 'zod';
import { db } from '$server/app.ts';
import { getConfig, latestOf } from '$server/config.ts';
import { brake, brakeFigures, lastAct } from '$server/journeys/brake.ts';
import { journeyByKey, versionOf } from '$server/journeys/journeys.ts';
import { fieldNames } from '$server/people/field-names.ts';
import { tagNames } from '$server/people/people.ts';
import { scoreNames } from '$server/people/shown.ts';
import { samplePeople } from '$server/people/sample.ts';
import { sheetFigures } from '$server/results/sheet-figures.ts';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ params, depends }) => {
  const journey = await journeyByKey(db(), params.key);
  if (!journey) error(404, 'There is no such journey. It may have been deleted.');
  depends(`live:journey:${journey.id}`);
  const [live, brakes, last, figures, tags, fields, scores, sample] = await Promise.all([
    journey.live_version === null ? null : versionOf(db(), journey.id, journey.live_version),
    brakeFigures(db(), journey.id, latestOf(getConfig())),
    lastAct(db(), journey.id),
    journey.live_version === null ? null : sheetFigures(db(), journey.id, null),
    tagNames(db()),
    fieldNames(db()),
    scoreNames(db()),
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
    figures,
    tags,
    fields,
    scores,
    sample,
    crumbs: [
      { name: 'Journeys', href: '/journeys' },
      ...(journey.folder ? [{ name: journey.folder, href: '/journeys' }] : []),
      { name: journey.name }
    ]
  };
};

const act = z.enum(['pause', 'resume', 'close', 'reopen']);

export const actions: Actions = {
  /** Pauses, closes, or lets it go on. */
  brake: async ({ params, request, locals }) => {
    const read = act.safeParse((await request.formData()).get('act'));
    if (!read.success) return fail(400, { problem: 'There is no such act.' });
    const done = await brake(db(), params.key, read.data, locals.user?.name ?? '');
    return done ? {} : fail(409, { problem: 'Somebody else was first: look at how it stands now.' });
  }
};
