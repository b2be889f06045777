import { fail } from '@sveltejs/kit';
import { z } from 'zod';
import { naming } from '$core/text/text.ts';
import { db } from '$server/app.ts';
import { listKeys, makeKey, revokeKey, SCOPES } from '$server/api/keys.ts';
import { callSecret } from '$server/post/call.ts';
import { textWordsSchema } from '$core/message/text-words.ts';
import { saveTextWords, textWords } from '$server/intake/texts.ts';
import { workspaceSecret } from '$server/intake/intake.ts';
import { readSaved } from '$server/workspace/settings.ts';
import { saveSettings } from '$server/settings/save.ts';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async () => {
  const { settings, revision } = await readSaved(db());
  return {
    revision,
    keys: await listKeys(db()),
    words: await textWords(db()),
    settings: JSON.stringify(settings ?? { format: 'ambulo.settings/1' }, null, 2),
    crumbs: [{ name: 'Settings' }]
  };
};

const named = z.object({ name: naming(80).min(1), scope: z.enum(SCOPES) });
const id = z.object({ id: z.coerce.number().int().positive() });

export const actions: Actions = {
  key: async ({ request, locals }) => {
    const read = named.safeParse(Object.fromEntries(await request.formData()));
    if (!read.success) return fail(400, { keyProblem: 'Say what the key is for, in at most 80 letters.' });
    return { token: await makeKey(db(), read.data.name, [read.data.scope], locals.user?.name ?? '') };
  },
  revoke: async ({ request }) => {
    const read = id.safeParse(Object.fromEntries(await request.formData()));
    if (!read.success || !(await revokeKey(db(), read.data.id)))
      return fail(409, { keyProblem: 'This key was revoked already.' });
    return { revoked: true };
  },
  /** Shows what calls are signed with, to whoever has to check them. */
  signing: async () => ({ signing: callSecret(await workspaceSecret(db())) }),
  words: async ({ request }) => {
    const form = await request.formData();
    const list = (name: string): string[] =>
      String(form.get(name) ?? '')
        .split(',')
        .flatMap((w) => w.trim() || []);
    const helpText = String(form.get('helpText') ?? '').trim();
    const read = textWordsSchema.safeParse({
      stop: list('stop'),
      start: list('start'),
      help: list('help'),
      ...(helpText ? { helpText } : {})
    });
    if (!read.success)
      return fail(400, { wordsProblem: 'At most 50 words of at most 40 letters each, and an answer of at most 480.' });
    await saveTextWords(db(), read.data);
    return { wordsSaved: true };
  },
  shared: async ({ request, locals }) => {
    const form = await request.formData();
    const text = String(form.get('settings') ?? '');
    const revision = z.coerce.number().int().safeParse(form.get('revision'));
    let document: unknown;
    try {
      document = JSON.parse(text);
    } catch (error) {
      return fail(400, {
        given: text,
        begun: revision.data ?? -1,
        problems: [`This is not JSON: ${(error as Error).message}`]
      });
    }
    const saved = await saveSettings(db(), document, locals.user?.name ?? '', revision.data ?? -1);
    return saved.ok
      ? { saved: true }
      : fail(400, { given: text, begun: revision.data ?? -1, problems: saved.problems });
  }
};
