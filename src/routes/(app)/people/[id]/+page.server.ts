import { error, fail, redirect } from '@sveltejs/kit';
import { z } from 'zod';
import { keyText } from '$core/journey/values.ts';
import { LONGEST, naming, plainText } from '$core/text/text.ts';
import { db } from '$server/app.ts';
import { readClock } from '$server/workspace/clock.ts';
import { heldBack, liftSuppression, sendAgain, sendCopy, tryNow } from '$server/post/again.ts';
import { tryAgain } from '$server/engine/set-aside.ts';
import {
  addNote,
  consentHistory,
  factHistory,
  removeAddress,
  removeNote,
  setConsent,
  setField
} from '$server/people/by-hand.ts';
import { maybeSame } from '$server/people/doubles.ts';
import { answerByText, cannotAnswer, LONGEST_ANSWER } from '$server/people/answering.ts';
import { comingFor } from '$server/people/coming.ts';
import { askChange, askEntry, askHurry, askLeave } from '$server/people/inputs.ts';
import { personNow, personPage, tagNames } from '$server/people/people.ts';
import { engagedOf } from '$server/people/points.ts';
import { erase, holdings } from '$server/protection/erase.ts';
import { readSettings } from '$server/workspace/settings.ts';
import { addTask } from '$server/tasks/tasks.ts';
import type { Actions, PageServerLoad } from './$types';

const NOBODY = 'There is no such person.';

const idOf = (text: string): number => {
  if (!/^\d{1,15}$/.test(text)) error(404, NOBODY);
  return Number(text);
};

export const load: PageServerLoad = async ({ params, depends }) => {
  depends(`live:person:${idOf(params.id)}`);
  const id = idOf(params.id);
  const [person, facts, consents, held, settings, tags, maybe, engaged, ahead, mute, clock, live] = await Promise.all([
    personPage(db(), id),
    factHistory(db(), id),
    consentHistory(db(), id),
    holdings(db(), id),
    readSettings(db()),
    tagNames(db()),
    maybeSame(db(), id),
    engagedOf(db(), id),
    comingFor(db(), id),
    cannotAnswer(db(), id),
    readClock(db()),
    db().query<{ key: string; name: string }>(`select key, name from journeys where state = 'live' order by name`)
  ]);
  if (!person) {
    const now = await personNow(db(), id);
    if (now !== id) redirect(308, `/people/${now}`);
    error(404, NOBODY);
  }
  return {
    maybe,
    engaged: engaged ?? { scores: [], rungs: [] },
    coming: ahead,
    /** Why they cannot be answered by text; `null`: they can. */
    mute,
    person,
    facts,
    consents,
    held,
    types: Object.fromEntries(
      (settings?.fields ?? []).map((f) => [f.name, { type: f.type, options: f.options ?? [] }])
    ),
    tags,
    now: clock.now,
    live: live.rows,
    crumbs: [{ name: 'People', href: '/people' }, { name: person.name }]
  };
};

const tag = naming().min(1);
const lifting = z.object({ address: plainText(320), reason: naming(200).min(1) });
const copying = z.object({
  message: z.coerce.number().int().positive(),
  seen: z.coerce.number().int().min(0).max(1000)
});
const messageId = z.coerce.number().int().positive().max(Number.MAX_SAFE_INTEGER);

const consent = z.object({
  channel: z.enum(['email', 'sms']),
  state: z.enum(['given', 'pending', 'withdrawn']),
  source: naming(200).min(1, 'Say where they said so.'),
  wording: plainText()
});
const field = z.object({ name: naming(LONGEST.name).min(1), value: plainText() });

export const actions: Actions = {
  /** Changes a fact. */
  field: async ({ params, request, locals }) => {
    const read = field.safeParse(Object.fromEntries(await request.formData()));
    if (!read.success) return fail(400, { problem: 'Which field, and what shall it be?' });
    const done = await setField(db(), idOf(params.id), read.data.name, read.data.value, locals.user?.name ?? 'hand');
    return done.ok ? { done: true } : fail(409, { problem: done.problem });
  },
  consent: async ({ params, request, locals }) => {
    const read = consent.safeParse(Object.fromEntries(await request.formData()));
    if (!read.success) return fail(400, { problem: read.error.issues[0]?.message ?? 'Which consent?' });
    const done = await setConsent(db(), idOf(params.id), read.data, locals.user?.name ?? 'hand');
    return done.ok ? { done: true } : fail(409, { problem: done.problem });
  },
  note: async ({ params, request, locals }) => {
    const read = naming(LONGEST.words)
      .min(1)
      .safeParse((await request.formData()).get('words'));
    if (!read.success) return fail(400, { problem: 'A note of one to 2,000 characters.' });
    const done = await addNote(db(), idOf(params.id), read.data, locals.user?.name ?? 'somebody');
    return done ? { done: true } : error(404, NOBODY);
  },
  /** What was written becomes a task. */
  task: async ({ params, request, locals }) => {
    const data = await request.formData();
    const title = naming(LONGEST.name).min(1).safeParse(data.get('words'));
    if (!title.success) return fail(400, { problem: `A task of one to ${LONGEST.name} characters.` });
    const due = z.iso
      .date()
      .nullable()
      .safeParse(data.get('due') || null);
    if (!due.success) return fail(400, { problem: 'Until which day? Write it as 2027-03-01, or leave it open.' });
    const task = { title: title.data, due: due.data };
    const done = await addTask(db(), idOf(params.id), task, locals.user?.name ?? 'somebody');
    return done ? { done: true } : error(404, NOBODY);
  },
  /** A text to them, in answer to theirs. */
  say: async ({ params, request, locals }) => {
    const read = z
      .object({ words: naming(LONGEST_ANSWER).min(1), once: z.uuid() })
      .safeParse(Object.fromEntries(await request.formData()));
    if (!read.success) return fail(400, { problem: `A text of one to ${LONGEST_ANSWER} characters.` });
    const done = await answerByText(db(), idOf(params.id), read.data, locals.user?.name ?? 'somebody');
    return done.ok ? { said: true } : fail(409, { problem: done.problem });
  },
  removeNote: async ({ params, request }) => {
    const note = messageId.safeParse((await request.formData()).get('note'));
    const done = note.success && (await removeNote(db(), idOf(params.id), note.data));
    return done ? { done: true } : fail(409, { problem: 'This note is gone already.' });
  },
  /** A further address is not theirs any more. */
  removeAddress: async ({ params, request }) => {
    const read = plainText(320).safeParse((await request.formData()).get('address'));
    const done = read.success && (await removeAddress(db(), idOf(params.id), read.data));
    return done ? { done: true } : fail(409, { problem: 'This address is not among theirs any more.' });
  },
  /** Erases everything of them; their address has to be typed. */
  erase: async ({ params, request, locals }) => {
    const id = idOf(params.id);
    const person = await personPage(db(), id);
    if (!person) error(404, NOBODY);
    const typed = String((await request.formData()).get('address') ?? '')
      .trim()
      .toLowerCase();
    if (typed !== (person.email ?? person.phone ?? '').toLowerCase())
      return fail(400, { problem: 'That is not their address: nobody was erased.' });
    await erase(db(), id, locals.user?.name ?? 'somebody');
    redirect(303, '/people');
  },
  tag: async ({ params, request, locals }) => {
    const data = await request.formData();
    const read = tag.safeParse(data.get('tag'));
    if (!read.success) return fail(400, { problem: 'Name a tag of at most 80 letters.' });
    const change = data.get('on') === 'no' ? { removeTags: [read.data] } : { addTags: [read.data] };
    if (!(await askChange(db(), [idOf(params.id)], change, locals.user?.name ?? 'hand'))) error(404, NOBODY);
    return { done: true };
  },
  enter: async ({ params, request, locals }) => {
    const read = keyText.safeParse((await request.formData()).get('journey'));
    if (!read.success) return fail(400, { problem: 'Choose a journey that is live.' });
    const key = read.data;
    const { rowCount } = await db().query(`select from journeys where key = $1 and state = 'live'`, [key]);
    if (!rowCount) return fail(400, { problem: 'Choose a journey that is live.' });
    if (!(await askEntry(db(), [idOf(params.id)], key, locals.user?.name ?? 'hand'))) error(404, NOBODY);
    return { done: true };
  },
  /** The wait they stand on is over. */
  hurry: async ({ params, request, locals }) => {
    const read = z
      .object({ walk: z.coerce.number().int().positive(), step: keyText })
      .safeParse(Object.fromEntries(await request.formData()));
    if (!read.success) return fail(400, { problem: 'Which wait?' });
    const { walk, step } = read.data;
    const { rowCount } = await db().query(
      `select from walks w join journeys j on j.id = w.journey_id where w.person_id = $1 and w.id = $2 and j.state = 'paused'`,
      [idOf(params.id), walk]
    );
    if (rowCount)
      return fail(409, { problem: 'The journey is paused: nobody goes on in it until somebody lets it go on.' });
    if (!(await askHurry(db(), idOf(params.id), walk, step, locals.user?.name ?? 'hand'))) error(404, NOBODY);
    return { done: true };
  },
  /** They leave a journey. */
  leave: async ({ params, request, locals }) => {
    const read = keyText.safeParse((await request.formData()).get('journey'));
    if (!read.success) return fail(400, { problem: 'Which journey?' });
    if (!(await askLeave(db(), idOf(params.id), read.data, locals.user?.name ?? 'hand'))) error(404, NOBODY);
    return { done: true };
  },
  /** A message that waits for another try goes out now. */
  retry: async ({ params, request }) => {
    const message = messageId.safeParse((await request.formData()).get('message'));
    const person = idOf(params.id);
    const done = message.success && (await tryNow(db(), { person, message: message.data }));
    return done ? { done: true } : fail(409, { problem: 'This message is not waiting to be tried again.' });
  },
  /** A message that failed or bounced is sent again. */
  again: async ({ params, request, locals }) => {
    const message = messageId.safeParse((await request.formData()).get('message'));
    if (!message.success) return fail(400, { problem: 'Which message?' });
    const which = { person: idOf(params.id), message: message.data };
    const held = await heldBack(db(), which);
    if (held) return fail(409, { problem: held });
    const { again, kept } = await sendAgain(db(), which, locals.user?.name ?? 'hand');
    if (again) return { done: true };
    return fail(409, {
      problem: kept
        ? 'It was not sent: the address is suppressed, or there is no consent any more. Lift the suppression first.'
        : 'This message has not failed.'
    });
  },
  /** A message that has gone out is sent once more. */
  copy: async ({ params, request, locals }) => {
    const read = copying.safeParse(Object.fromEntries(await request.formData()));
    if (!read.success) return fail(400, { problem: 'Which message?' });
    const which = { person: idOf(params.id), message: read.data.message };
    const held = await heldBack(db(), which);
    if (held) return fail(409, { problem: held });
    const { again, kept } = await sendCopy(db(), which, read.data.seen, locals.user?.name ?? 'hand');
    if (again) return { done: true };
    return fail(409, {
      problem: kept
        ? 'It was not sent again: the address is suppressed, or there is no consent any more.'
        : 'It is being sent again already.'
    });
  },
  /** The address may be written to again. */
  lift: async ({ request, locals }) => {
    const read = lifting.safeParse(Object.fromEntries(await request.formData()));
    if (!read.success) return fail(400, { problem: 'Say why this address may be written to again.' });
    const done = await liftSuppression(db(), read.data.address, locals.user?.name ?? 'hand', read.data.reason);
    return done ? { done: true } : fail(409, { problem: 'This address is not suppressed any more.' });
  },
  /** Their work is tried again, where it failed and was set aside. */
  aside: async ({ params }) => {
    const done = await tryAgain(db(), [idOf(params.id)]);
    return done ? { done: true } : fail(409, { problem: 'They are not set aside any more.' });
  }
};
