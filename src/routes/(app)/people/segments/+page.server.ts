import { fail } from '@sveltejs/kit';
import { z } from 'zod';
import { LONGEST, naming } from '$core/text/text.ts';
import { db } from '$server/app.ts';
import { askChangeOf } from '$server/crowds/changes.ts';
import { look, TooLong } from '$server/people/counting.ts';
import { ageOf, compare, daysOf, membersOf } from '$server/segments/members.ts';
import { segmentLines } from '$server/settings/segments.ts';
import { SettingsBook } from '$server/workspace/settings.ts';
import type { Actions, PageServerLoad } from './$types';

const settings = new SettingsBook();

export const load: PageServerLoad = async ({ url, depends }) => {
  depends('app:segments');
  const { segments } = await segmentLines(db());
  const chosen = segments.find((s) => s.name === url.searchParams.get('name')) ?? segments[0] ?? null;
  const other = segments.find((s) => s.name === url.searchParams.get('with') && s.name !== chosen?.name) ?? null;
  let problem = '';
  const asked = chosen
    ? await look(db(), async (one) => ({
        days: await daysOf(one, chosen.name),
        members: await membersOf(one, chosen.name),
        compared: other ? await compare(one, chosen.name, other.name) : null
      })).catch((error: unknown) => {
        if (!(error instanceof TooLong)) throw error;
        problem = error.message;
        return null;
      })
    : null;
  return {
    segments,
    chosen: chosen?.name ?? null,
    other: other?.name ?? null,
    asked,
    age: chosen ? await ageOf(db(), settings, chosen.name) : null,
    problem,
    crumbs: [{ name: 'People', href: '/people' }, { name: 'Segments' }]
  };
};

const freeze = z.object({
  segment: naming(LONGEST.label).min(1),
  list: naming(LONGEST.label).min(1, 'Say the name of a list.'),
  expected: z.coerce.number().int().min(0)
});

export const actions: Actions = {
  /** Puts everybody who is in a segment now on a list, which stays as it is. */
  freeze: async ({ request, locals }) => {
    const read = freeze.safeParse(Object.fromEntries(await request.formData()));
    if (!read.success) return fail(400, { problem: read.error.issues[0]?.message ?? 'Which list?' });
    const { segment, list, expected } = read.data;
    await askChangeOf(db(), {
      selection: { where: { segment } },
      change: { act: 'add list', list },
      expected,
      by: locals.user?.name ?? ''
    });
    return { frozen: list };
  }
};
