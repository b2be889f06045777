import { error } from '@sveltejs/kit';
import { db } from '$server/app.ts';
import { fileOf, importLine, staysOf } from '$server/imports/imports.ts';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ params, depends }) => {
  depends('live:crowds');
  const id = Number(/^\d{1,15}$/.exec(params.number)?.[0] ?? NaN);
  const line = Number.isNaN(id) ? null : await importLine(db(), id);
  if (!line) error(404, 'There is no such import.');
  return {
    line,
    plan: (await fileOf(db(), id))?.plan ?? null,
    stays: await staysOf(db(), id),
    crumbs: [{ name: 'People', href: '/people' }, { name: 'Import', href: '/people/import' }, { name: line.name }]
  };
};
