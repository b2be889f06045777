import { error, fail, redirect } from '@sveltejs/kit';
import { z } from 'zod';
import { changesBetween } from '$core/tell/changes.ts';
import { readThrough } from '$core/tell/read-through.ts';
import { fromWall } from '$core/time/civil.ts';
import { parseInstant } from '$core/time/instant.ts';
import { db } from '$server/app.ts';
import { readClock } from '$server/workspace/clock.ts';
import { askLiveAt } from '$server/journeys/live-at.ts';
import { setLive } from '$server/journeys/going-live.ts';
import { review } from '$server/journeys/review.ts';
import { journeyByKey, versionOf } from '$server/journeys/journeys.ts';
import { revisionSchema } from '../../../../api/body.ts';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ params, depends }) => {
  const journey = await journeyByKey(db(), params.key);
  if (!journey) error(404, 'There is no such journey.');
  // Thousands of people are asked: not for whatever happens anywhere.
  depends(`live:journey:${journey.id}`);
  const [looked, live] = await Promise.all([
    review(db(), journey.id, journey.draft),
    journey.live_version === null ? null : versionOf(db(), journey.id, journey.live_version)
  ]);
  return {
    journey: { key: journey.key, name: journey.name, revision: journey.draft_revision, version: journey.live_version },
    review: looked,
    existing: journey.draft.entry?.existing ?? false,
    opens: journey.draft.entry?.opens === undefined ? null : parseInstant(journey.draft.entry.opens),
    sentences: readThrough(journey.draft),
    changes: live ? changesBetween(live.document, journey.draft) : null,
    crumbs: [
      { name: 'Journeys', href: '/journeys' },
      { name: journey.name, href: `/journeys/${journey.key}` },
      { name: 'Review' }
    ]
  };
};

/** As a date field of a form says it, by the workspace's clock; within what dates can be reckoned with. */
const later = z.iso.datetime({ local: true, precision: -1 }).refine((text) => text < '2200');

export const actions: Actions = {
  default: async ({ params, request, locals }) => {
    const form = await request.formData();
    const revision = z.coerce.number().pipe(revisionSchema).safeParse(form.get('revision'));
    const inside = form.get('inside') === 'move' ? 'move' : 'stay';
    if (!revision.success) return fail(400, { problem: 'This review is not of any draft. Open it again.' });
    if (form.get('when') === 'later') {
      const wall = later.safeParse(form.get('at'));
      if (!wall.success) return fail(400, { problem: 'Say the day and the time at which it goes live.' });
      const { zone } = await readClock(db());
      const at = fromWall(zone, Date.parse(`${wall.data}Z`));
      const asked = await askLiveAt(db(), params.key, revision.data, at, locals.user?.name ?? '', inside);
      if (!asked.ok) return fail(409, { problem: asked.message });
      redirect(303, `/journeys/${params.key}`);
    }
    const result = await setLive(db(), params.key, revision.data, locals.user?.name ?? '', inside);
    if (!result.ok) return fail(409, { problem: result.message });
    redirect(303, `/journeys/${params.key}?view=watch`);
  }
};
