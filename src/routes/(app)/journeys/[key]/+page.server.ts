import { error } from '@sveltejs/kit';
import { db } from '$server/app.ts';
import { journeyByKey, versionOf } from '$server/journeys/journeys.ts';
import { fieldNames } from '$server/people/field-names.ts';
import { tagNames } from '$server/people/people.ts';
import { scoreNames } from '$server/people/shown.ts';
import { samplePeople } from '$server/people/sample.ts';
import { sheetFigures } from '$server/results/sheet-figures.ts';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ params, depends }) => {
  const journey = await journeyByKey(db(), params.key);
  if (!journey) error(404, 'There is no such journey. It may have been deleted.');
  depends(`live:journey:${journey.id}`);
  const [live, figures, tags, fields, scores, sample] = await Promise.all([
    journey.live_version === null ? null : versionOf(db(), journey.id, journey.live_version),
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
