import { db } from '$server/app.ts';
import { recentImports } from '$server/imports/imports.ts';
import { fieldNames, OWN_FIELDS } from '$server/engine/field-names.ts';
import { readSettings } from '$server/workspace/settings.ts';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ depends }) => {
  depends('live:crowds');
  const [names, settings, imports] = await Promise.all([fieldNames(db()), readSettings(db()), recentImports(db())]);
  const types = new Map((settings?.fields ?? []).map((f) => [f.name, f.type]));
  const all = [...new Set([...names.slice(OWN_FIELDS), ...types.keys()])].sort();
  return {
    imports,
    fields: all.map((name) => ({ name, type: types.get(name) ?? null })),
    crumbs: [{ name: 'People', href: '/people' }, { name: 'Import' }]
  };
};
