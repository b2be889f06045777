import { z } from 'zod';
import { plainText } from '$core/text/text.ts';
import { db } from '$server/app.ts';
import { PER_PAGE, searchPeople, SORTS, tagCatalogue } from '$server/people/people.ts';
import type { PageServerLoad } from './$types';

const query = z.object({
  q: plainText(200).catch(''),
  tag: plainText(200).nullable().catch(null),
  sort: z.enum(SORTS).catch('name'),
  down: z.literal('1').nullable().catch(null),
  page: z.coerce.number().int().min(1).max(100_000).catch(1)
});

export const load: PageServerLoad = async ({ url, depends }) => {
  depends('app:live');
  const p = url.searchParams;
  const read = query.parse({
    q: p.get('q') ?? '',
    tag: p.get('tag'),
    sort: p.get('sort') ?? 'name',
    down: p.get('down'),
    page: p.get('page') ?? 1
  });
  const search = { text: read.q, tag: read.tag, sort: read.sort, descending: read.down === '1', page: read.page };
  const [{ people, total, more }, tags] = await Promise.all([searchPeople(db(), search), tagCatalogue(db())]);
  return { people, total, more, tags, search, perPage: PER_PAGE, crumbs: [{ name: 'People' }] };
};
