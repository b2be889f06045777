import { fail } from '@sveltejs/kit';
import { z } from 'zod';
import { FIELD_TYPES } from '$core/person/values.ts';
import { LONGEST, naming, plainText } from '$core/text/text.ts';
import { db } from '$server/app.ts';
import { DATE_ORDERS, DECIMALS } from '$server/people/values.ts';
import { look, TooLong } from '$server/people/counting.ts';
import { catalogue } from '$server/names/catalogue.ts';
import { describe, makeField, remove } from '$server/names/describe.ts';
import { rename, RENAMABLE } from '$server/names/rename.ts';
import { changeType, TooMany, typeChange } from '$server/names/types.ts';
import type { Actions, PageServerLoad } from './$types';

const kinds = z.enum(RENAMABLE);

// Counted anew when somebody comes or does something here, not for whatever happens to anybody.
export const load: PageServerLoad = async ({ url }) => {
  const kind = kinds.catch('tag').parse(url.searchParams.get('kind'));
  return {
    kind,
    lines: await catalogue(db(), kind),
    chosen: url.searchParams.get('name'),
    crumbs: [{ name: 'People', href: '/people' }, { name: 'Tags, lists and fields' }]
  };
};

const label = naming(LONGEST.label).pipe(z.string().min(1, 'Say a name.'));
const fieldName = z
  .string()
  .trim()
  .regex(/^[a-z][a-z0-9_]{0,39}$/, 'A field is named in small letters, digits and underscores, as home_town.');
const options = z.string().transform((text) => [
  ...new Set(
    text
      .split('\n')
      .map((o) => o.trim())
      .filter(Boolean)
  )
]);
const reading = z.object({
  name: z.string(),
  type: z.enum(FIELD_TYPES),
  options,
  dates: z.enum(DATE_ORDERS).catch('day first'),
  decimal: z.enum(DECIMALS).catch('.')
});

const form = async (request: Request): Promise<Record<string, unknown>> => Object.fromEntries(await request.formData());
const said = (error: z.ZodError): string => error.issues[0]?.message ?? 'That cannot be read.';

export const actions: Actions = {
  rename: async ({ request, locals }) => {
    const given = await form(request);
    const kind = kinds.safeParse(given['kind']);
    if (!kind.success) return fail(400, { problem: 'There is nothing of that kind.' });
    const to = (kind.data === 'field' ? fieldName : label).safeParse(given['to']);
    if (!to.success) return fail(400, { problem: said(to.error) });
    const done = await rename(db(), kind.data, String(given['name'] ?? ''), to.data, locals.user?.name ?? '');
    return done.ok
      ? {
          done: `Called “${to.data}” now: on ${done.people.toLocaleString('en')} people, in ${done.drafts} drafts.`,
          name: to.data
        }
      : fail(409, { problem: done.problem });
  },
  describe: async ({ request, locals }) => {
    const read = z
      .object({
        kind: z.enum(['tag', 'list']),
        name: label,
        note: plainText(),
        optIn: z.enum(['single', 'double']).nullable().catch(null)
      })
      .safeParse(await form(request));
    if (!read.success) return fail(400, { problem: said(read.error) });
    const { kind, name, note, optIn } = read.data;
    const saved = await describe(db(), kind, name, { note, optIn }, locals.user?.name ?? '');
    return saved.ok ? { done: 'Saved.', name } : fail(409, { problem: saved.problems.join(' ') });
  },
  field: async ({ request, locals }) => {
    const read = z.object({ name: fieldName, type: z.enum(FIELD_TYPES), options }).safeParse(await form(request));
    if (!read.success) return fail(400, { problem: said(read.error) });
    const saved = await makeField(db(), read.data, locals.user?.name ?? '');
    return saved.ok ? { done: 'Made.', name: read.data.name } : fail(409, { problem: saved.problems.join(' ') });
  },
  /** What a change of type would do; `go` does it. */
  type: async ({ request, locals }) => {
    const given = await form(request);
    const read = reading.safeParse(given);
    if (!read.success) return fail(400, { problem: said(read.error) });
    const { name, ...wanted } = read.data;
    const how = { ...wanted, options: wanted.options.length ? wanted.options : undefined };
    try {
      if (given['go'] === undefined)
        return { preview: { name, ...wanted, change: await look(db(), (one) => typeChange(one, name, how)) } };
      const done = await changeType(db(), name, how, locals.user?.name ?? '');
      return done.ok ? { done: 'The type is changed.', name } : fail(409, { problem: done.problem });
    } catch (error) {
      if (error instanceof TooMany || error instanceof TooLong) return fail(409, { problem: error.message });
      throw error;
    }
  },
  remove: async ({ request, locals }) => {
    const given = await form(request);
    const kind = kinds.safeParse(given['kind']);
    if (!kind.success) return fail(400, { problem: 'There is nothing of that kind.' });
    const done = await remove(db(), kind.data, String(given['name'] ?? ''), locals.user?.name ?? '');
    return done.ok ? { done: 'It is gone.' } : fail(409, { problem: done.problem });
  }
};
