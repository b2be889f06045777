import { db } from '$server/app.ts';
import { fieldNames } from '$server/people/field-names.ts';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async () => ({
  fields: await fieldNames(db()),
  crumbs: [{ name: 'People', href: '/people' }, { name: 'Import' }]
});
