import { z } from 'zod';
import { fail } from '@sveltejs/kit';
import { LONGEST, naming, plainText } from '$core/text/text.ts';
import { db } from '$server/app.ts';
import { PER_PAGE, searchPeople, SORTS, tagNames } from '$server/people/people.ts';
import { scoreNames, showFacts, shownFacts } from '$server/people/shown.ts';
import { fieldNames, OWN_FIELDS } from '$server/people/field-names.ts';
import type { Actions, PageServerLoad } from './$types';

const query = z.object({
  q: plainText(200).catch(''),
  tag: plainText(200).nullable().catch(null),
  sort: z.enum(SORTS).catch('name'),
  down: z.literal('1').nullable().catch(null),
  page: z.coerce.number().int().min(1).max(100_000).catch(1)
});

export const load: PageServerLoad = async ({ url, depends }) => {
  depends('live:people');
  const p = url.searchParams;
  const read = query.parse({
    q: p.get('q') ?? '',
    tag: p.get('tag'),
    sort: p.get('sort') ?? 'name',
    down: p.get('down'),
    page: p.get('page') ?? 1
  });
  const shown = await shownFacts(db());
  const search = {
    shown,
    text: read.q,
    tag: read.tag,
    sort: read.sort,
    descending: read.down === '1',
    page: read.page
  };
  const [{ people, total, more }, tags, fields, scores] = await Promise.all([
    searchPeople(db(), search),
    tagNames(db()),
    fieldNames(db()),
    scoreNames(db())
  ]);
  return {
    people,
    total,
    more,
    tags,
    fields: fields.slice(OWN_FIELDS),
    scores,
    search,
    perPage: PER_PAGE,
    crumbs: [{ name: 'People' }]
  };
};

const chosen = z.object({ fact: z.enum(['field', 'score']), name: naming(LONGEST.name) });

export const actions: Actions = {
  /** Shows another field or score in the tables of people; an empty name shows none. */
  show: async ({ request }) => {
    const read = chosen.safeParse(Object.fromEntries(await request.formData()));
    if (!read.success) return fail(400, { problem: 'There is no such field or score.' });
    await showFacts(db(), { [read.data.fact]: read.data.name || null });
    return {};
  }
};
