import { fail, redirect } from '@sveltejs/kit';
import { z } from 'zod';
import { LONGEST, naming } from '$core/text/text.ts';
import { db } from '$server/app.ts';
import { compare } from '$server/people/compare.ts';
import {
  ALIKE,
  areDifferent,
  askSearch,
  different,
  groupsOf,
  latestSearch,
  notDifferent,
  stopSearch
} from '$server/people/doubles.ts';
import { fieldNames } from '$server/engine/field-names.ts';
import { merge } from '$server/people/merge.ts';
import { SettingsBook } from '$server/workspace/settings.ts';
import type { Actions, PageServerLoad } from './$types';

const settings = new SettingsBook();
const id = z.coerce.number().int().positive().max(Number.MAX_SAFE_INTEGER);
const alike = z.enum(ALIKE);
/** A hash of 64 bits, as text. */
const key = z.string().regex(/^-?\d{1,19}$/);
const PER_PAGE = 40;

export const load: PageServerLoad = async ({ url, depends }) => {
  depends('live:crowds');
  const search = await latestSearch(db());
  const why = alike.nullable().catch(null).parse(url.searchParams.get('why'));
  const after = z
    .object({ why: alike, key })
    .nullable()
    .catch(null)
    .parse({ why: url.searchParams.get('afterWhy'), key: url.searchParams.get('after') });
  const [one, other] = ['a', 'b'].map((name) => id.nullable().catch(null).parse(url.searchParams.get(name)));
  const [found, fields, comparison, marked] = await Promise.all([
    groupsOf(db(), { why, after, field: search?.field ?? 'town' }, PER_PAGE + 1),
    fieldNames(db()),
    one && other ? compare(db(), one, other) : null,
    one && other ? areDifferent(db(), one, other) : null
  ]);
  return {
    search,
    why,
    counts: found.counts,
    groups: found.groups.slice(0, PER_PAGE),
    more: found.groups.length > PER_PAGE,
    paged: after !== null,
    fields,
    comparison,
    marked,
    gone: Boolean(one && other && !comparison),
    crumbs: [{ name: 'People', href: '/people' }, { name: 'Doubles' }]
  };
};

const asked = z.object({
  one: id,
  other: id,
  seen: z.string().max(100),
  choose: z
    .string()
    .max(100_000)
    .transform((text, context): unknown => {
      try {
        return JSON.parse(text);
      } catch {
        context.addIssue({ code: 'custom', message: 'What shall stay cannot be read.' });
        return z.NEVER;
      }
    })
    .pipe(z.record(naming(LONGEST.name), z.enum(['a', 'b'])))
});
const pair = z.object({ one: id, other: id });
const form = async (request: Request): Promise<Record<string, unknown>> => Object.fromEntries(await request.formData());

export const actions: Actions = {
  search: async ({ request, locals }) => {
    const read = naming(LONGEST.name)
      .min(1)
      .safeParse((await form(request))['field']);
    if (!read.success) return fail(400, { problem: 'Which field has to be alike beside the name?' });
    await askSearch(db(), read.data, locals.user?.name ?? '');
    return { done: '' };
  },
  stop: async () => {
    await stopSearch(db());
    return { done: 'The search is stopped; what the one before found is still here.' };
  },
  merge: async ({ request, locals, url }) => {
    const read = asked.safeParse(await form(request));
    if (!read.success) return fail(400, { problem: 'Which two, and what of each shall stay?' });
    const done = await merge(db(), settings, read.data, locals.user?.name ?? '');
    if (!done.ok) return fail(409, { problem: done.problem });
    const next = new URLSearchParams(url.searchParams);
    for (const name of ['/merge', 'a', 'b']) next.delete(name);
    next.set('made', String(done.person));
    redirect(303, `?${next}`);
  },
  /** All of a group at once, or two. */
  different: async ({ request, locals }) => {
    const read = z
      .array(id)
      .min(2)
      .max(20)
      .safeParse((await request.formData()).getAll('person'));
    if (!read.success) return fail(400, { problem: 'Which people are different?' });
    await different(db(), read.data, locals.user?.name ?? '');
    return { done: 'They are different people: they are not shown as doubles again.' };
  },
  notDifferent: async ({ request }) => {
    const read = pair.safeParse(await form(request));
    if (!read.success) return fail(400, { problem: 'Which two?' });
    await notDifferent(db(), read.data.one, read.data.other);
    return { done: '' };
  }
};
