import { error, fail, redirect } from '@sveltejs/kit';
import { z } from 'zod';
import type { Journey } from '$core/journey/schema.ts';
import { sideBySide } from '$core/tell/side-by-side.ts';
import { changesBetween, type Change } from '$core/tell/changes.ts';
import { sheetPicture, type Mark } from '$core/sheet/picture.ts';
import { db } from '$server/app.ts';
import { journeyByKey, saveDraft, versionOf, versionsOf } from '$server/journeys/journeys.ts';
import { revisionSchema } from '../../../../api/body.ts';
import type { Actions, PageServerLoad } from './$types';

const edition = z.union([z.literal('draft'), z.coerce.number().int().positive().max(2_147_483_647)]);

/** What became of each step, by its key: on the older sheet those that are gone are marked, on the newer those that are new. */
function marks(changes: readonly Change[], removed: readonly string[], older: boolean): Map<string, Mark> {
  const found = new Map<string, Mark>();
  for (const { kind, step } of changes)
    if (step && kind !== 'rule' && kind !== 'removed' && (kind !== 'added' || !older)) found.set(step, kind);
  if (older) for (const key of removed) found.set(key, 'removed');
  return found;
}

export const load: PageServerLoad = async ({ params, url, depends }) => {
  const journey = await journeyByKey(db(), params.key);
  if (!journey) error(404, 'There is no such journey.');
  depends(`live:journey:${journey.id}`);
  const versions = await versionsOf(db(), journey.id);
  const newest = versions[0]?.number;
  const chosen = (name: string, usual: 'draft' | number | undefined): 'draft' | number => {
    const read = edition.safeParse(url.searchParams.get(name) ?? usual);
    return read.success ? read.data : 'draft';
  };
  const [from, to] = [chosen('from', newest), chosen('to', 'draft')];
  const documentOf = async (which: 'draft' | number): Promise<Journey> => {
    if (which === 'draft') return journey.draft;
    const version = await versionOf(db(), journey.id, which);
    if (!version) error(404, `There is no version ${which} of this journey.`);
    return version.document;
  };
  const [before, after] = await Promise.all([documentOf(from), documentOf(to)]);
  const changes = changesBetween(before, after);
  const removed = changes.flatMap((c) => (c.kind === 'removed' && c.was ? [c.was] : []));
  return {
    journey: { key: journey.key, name: journey.name, revision: journey.draft_revision, lockedBy: journey.locked_by },
    versions,
    from,
    to,
    changes,
    rows: sideBySide(before, after),
    pictures: [
      sheetPicture(before, marks(changes, removed, true)),
      sheetPicture(after, marks(changes, removed, false))
    ] as const,
    crumbs: [
      { name: 'Journeys', href: '/journeys' },
      { name: journey.name, href: `/journeys/${journey.key}` },
      { name: 'Versions' }
    ]
  };
};

const back = z.object({
  version: z.coerce.number().int().positive().max(2_147_483_647),
  revision: z.coerce.number().pipe(revisionSchema)
});

export const actions: Actions = {
  /** Makes a version the draft again; what the draft was can still be undone to in a sheet that is open. */
  back: async ({ params, request, locals }) => {
    const read = back.safeParse(Object.fromEntries(await request.formData()));
    if (!read.success) return fail(400, { problem: 'There is no such version.' });
    const journey = await journeyByKey(db(), params.key);
    const version = journey && (await versionOf(db(), journey.id, read.data.version));
    if (!version) return fail(404, { problem: 'There is no such version.' });
    const saved = await saveDraft(db(), params.key, read.data.revision, version.document, locals.user?.name ?? '');
    if (!saved.ok)
      return fail(409, {
        problem:
          saved.kind === 'changed'
            ? 'Somebody has changed the draft since you opened this page. Look at it again.'
            : saved.message
      });
    redirect(303, `/journeys/${params.key}`);
  }
};
