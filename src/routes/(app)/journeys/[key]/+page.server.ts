import { error, fail, redirect } from '@sveltejs/kit';
import { z } from 'zod';
import { db } from '$server/app.ts';
import { getConfig, latestOf } from '$server/config.ts';
import { BRAKE_ACTS, brake, brakeFigures, deleteJourney, lastAct } from '$server/journeys/brake.ts';
import {
  cloneJourney,
  fillIn,
  journeyByKey,
  journeyNames,
  lockJourney,
  moveToFolder,
  versionOf
} from '$server/journeys/journeys.ts';
import { naming } from '$core/text/text.ts';
import { acrossWords } from '$core/tell/settings.ts';
import { callOffLiveAt, liveAtOf } from '$server/journeys/live-at.ts';
import { acceptedIn } from '$server/journeys/accepted.ts';
import { aroundOf } from '$server/journeys/around.ts';
import { knownZones } from '$server/selection/may-have-changed.ts';
import { knownNames } from '$server/people/names.ts';
import { samplePeople } from '$server/people/sample.ts';
import { crowdsOf, stopCrowd } from '$server/crowds/crowds.ts';
import { sheetFigures } from '$server/results/sheet-figures.ts';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ params, depends }) => {
  const journey = await journeyByKey(db(), params.key);
  if (!journey) error(404, 'There is no such journey. It may have been deleted.');
  depends(`live:journey:${journey.id}`);
  // Counting rules needs them, and reading them takes seconds the first time: begun now, they are there when one is typed.
  void knownZones(db()).catch(() => undefined);
  const [live, brakes, last, crowds, figures, names, journeys, sample, around, accepted, later] = await Promise.all([
    journey.live_version === null ? null : versionOf(db(), journey.id, journey.live_version),
    brakeFigures(db(), journey.id, latestOf(getConfig())),
    lastAct(db(), journey.id),
    crowdsOf(db(), journey.id),
    journey.live_version === null ? null : sheetFigures(db(), journey.id, null),
    knownNames(db()),
    journeyNames(db()),
    samplePeople(db()),
    aroundOf(db(), params.key),
    acceptedIn(db(), journey.id),
    liveAtOf(db(), journey.id)
  ]);
  return {
    journey: {
      key: journey.key,
      name: journey.name,
      folder: journey.folder,
      state: journey.state,
      draft: journey.draft,
      revision: journey.draft_revision,
      savedAt: journey.draft_saved_at,
      version: journey.live_version,
      sketch: journey.sketch,
      lockedBy: journey.locked_by,
      lockedWhy: journey.locked_why
    },
    live: live && { document: live.document, since: live.live_from },
    liveAt: later && {
      at: later.at,
      by: later.by,
      problem: later.problem,
      differs: JSON.stringify(later.document) !== JSON.stringify(journey.draft)
    },
    brakes,
    last,
    crowds,
    figures,
    names,
    journeys,
    sample,
    around,
    accepted,
    across: acrossWords(around.settings ?? null),
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
  /** Locks it, with a reason, or unlocks it. */
  lock: async ({ params, request, locals }) => {
    const why = naming(200).safeParse((await request.formData()).get('why') ?? '');
    const done = why.success && (await lockJourney(db(), params.key, locals.user?.name ?? '', why.data));
    return done ? {} : fail(409, { problem: 'Somebody else has locked it already.' });
  },
  /** A sketch is filled in from now on. */
  fill: async ({ params }) => {
    await fillIn(db(), params.key);
    return {};
  },
  clone: async ({ params, locals }) => {
    const key = await cloneJourney(db(), params.key, locals.user?.name ?? '');
    if (key === null) return fail(404, { problem: 'This journey has been deleted.' });
    redirect(303, `/journeys/${key}`);
  },
  folder: async ({ params, request }) => {
    const folder = naming(60).safeParse((await request.formData()).get('folder') ?? '');
    if (!folder.success) return fail(400, { problem: 'A folder’s name has at most 60 letters.' });
    await moveToFolder(db(), params.key, folder.data.trim());
    return {};
  },
  unlock: async ({ params, locals }) => {
    await lockJourney(db(), params.key, locals.user?.name ?? '', null);
    return {};
  },
  /** What was to go live later does not; what could not is no longer said. */
  callOff: async ({ params }) => {
    await callOffLiveAt(db(), params.key);
    return {};
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
