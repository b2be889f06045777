import { fail } from '@sveltejs/kit';
import { z } from 'zod';
import { isTooDeep } from '$core/journey/depth.ts';
import { db, config } from '$server/app.ts';
import { lookingAt, MODEL_KINDS, modelOf, removeModel, saveModel, usesOf } from '$server/engagement/models.ts';
import { journeyNames } from '$server/journeys/journeys.ts';
import { knownNames } from '$server/people/names.ts';
import { readSaved } from '$server/workspace/settings.ts';
import type { Actions, PageServerLoad } from './$types';

const kinds = z.enum(MODEL_KINDS);

export const load: PageServerLoad = async ({ url, depends }) => {
  depends('live:crowds');
  const { settings, revision } = await readSaved(db());
  const lines = MODEL_KINDS.flatMap((kind) =>
    (kind === 'ladder' ? (settings?.ladders ?? []) : (settings?.scores ?? [])).map((m) => ({ kind, name: m.name }))
  );
  const kind = kinds.catch(lines[0]?.kind ?? 'ladder').parse(url.searchParams.get('kind'));
  const name = (url.searchParams.get('name') || lines.find((l) => l.kind === kind)?.name) ?? '';
  const fresh = url.searchParams.has('new');
  const model = fresh ? null : modelOf(settings, kind, name);
  const [known, journeys, uses, looking] = await Promise.all([
    knownNames(db()),
    journeyNames(db()),
    model ? usesOf(db(), settings, model) : [],
    lookingAt(db())
  ]);
  return {
    lines,
    kind,
    fresh,
    model,
    revision,
    known,
    journeys,
    uses,
    looking,
    /** How long what happened is kept, as ISO; `null`: for good. */
    kept: config().KEEP_HISTORY ?? null,
    crumbs: [{ name: 'People', href: '/people' }, { name: 'Engagement' }]
  };
};

const revision = z.coerce.number().int();
const form = async (request: Request): Promise<Record<string, unknown>> => Object.fromEntries(await request.formData());

export const actions: Actions = {
  save: async ({ request, locals }) => {
    const given = await form(request);
    const kind = kinds.safeParse(given['kind']);
    let definition: unknown;
    try {
      definition = JSON.parse(String(given['definition'] ?? ''));
    } catch {
      return fail(400, { problems: ['What is to be saved cannot be read.'] });
    }
    if (!kind.success || isTooDeep(definition)) return fail(400, { problems: ['What is to be saved cannot be read.'] });
    const saved = await saveModel(
      db(),
      kind.data,
      definition,
      locals.user?.name ?? '',
      revision.catch(-1).parse(given['revision'])
    );
    return saved.ok
      ? { saved: String((definition as { name?: unknown }).name), kind: kind.data }
      : fail(409, { problems: saved.problems });
  },
  remove: async ({ request, locals }) => {
    const given = await form(request);
    const kind = kinds.safeParse(given['kind']);
    if (!kind.success) return fail(400, { problems: ['There is nothing of that kind.'] });
    const done = await removeModel(
      db(),
      kind.data,
      String(given['name'] ?? ''),
      locals.user?.name ?? '',
      revision.catch(-1).parse(given['revision'])
    );
    return done.ok ? { gone: true } : fail(409, { problems: done.problems });
  }
};
