/** Importing, finding, and conditions as SQL. */
import { randomUUID } from 'node:crypto';
import { afterEach, beforeEach, expect, it } from 'vitest';
import { collected, journey, MONDAY, put, reachable } from '../make.ts';
import type { PersonState } from '../../core/person/state.ts';
import { createUser } from '../../server/access/sessions.ts';
import { beginFile, importFile, keepPart, PART_BYTES, partsOf } from '../../server/imports/files.ts';
import type { ImportPlan } from '../../server/imports/plan.ts';
import { importWhole } from '../../server/imports/whole.ts';
import { personPage, searchPeople } from '../../server/people/people.ts';
import { review } from '../../server/journeys/review.ts';
import { createJourney, saveDraft } from '../../server/journeys/journeys.ts';
import { addPeople, live, openWorld, skipTo, trailOf, type World } from './world.ts';

let world: World;
beforeEach(async () => {
  world = await openWorld();
});
afterEach(() => world.close());

/** Imports a text, columns as they are guessed; gives what was promised and what was done. */
async function importText(csv: string, change: Partial<ImportPlan> = {}) {
  const { preview, line } = await importWhole(world.pool, new TextEncoder().encode(csv), (plan) => ({
    ...plan,
    consent: { ...plan.consent, source: 'a form' },
    ...change
  }));
  // What was promised is what is done.
  expect(line).toMatchObject({ made: preview.made, updated: preview.changed, keptWithdrawn: preview.keptWithdrawn });
  return preview;
}

it('makes new people, updates known ones by email or else by phone, and takes nobody out', async () => {
  expect(
    await importText('email,phone,first_name,town\na@b.example,+447700900001,Ada,Quillmoor\nc@d.example,,Cora,\n')
  ).toMatchObject({ made: 2, changed: 0 });
  expect(await importText('email,first_name\nA@B.example,Adela\n')).toMatchObject({ made: 0, changed: 1 });
  expect(await importText('phone,town\n+447700900001,Thornmere\n')).toMatchObject({ made: 0, changed: 1 });
  await skipTo(world, MONDAY);
  const { people, total } = await searchPeople(world.pool, {
    text: 'adela',
    tag: null,
    sort: 'name',
    descending: false,
    shown: { field: 'town', score: null }
  });
  expect(total).toBe(1);
  expect(people[0]).toMatchObject({ email: 'a@b.example', phone: '+447700900001', field: 'Thornmere' });
});

it('refuses a row whose two addresses belong to two people', async () => {
  await importText('email,phone\na@b.example,\n,+447700900002\n');
  expect((await importText('email,phone\na@b.example,+447700900002\n')).refusedFirst).toMatchObject([
    { line: 2, reason: 'this phone number belongs to someone with another email' }
  ]);
});

it('refuses a second row for one person', async () => {
  await importText('email,phone\na@b.example,+447700900002\n');
  expect((await importText('email,phone,town\na@b.example,,Here\n,+447700900002,There\n')).refusedFirst).toMatchObject([
    { line: 3, reason: 'this is the person of line 2, by another address' }
  ]);
});

it('never turns a withdrawn consent into a given one', async () => {
  await importText('email,consent_email\na@b.example,withdrawn\n');
  expect(await importText('email,consent_email\na@b.example,given\n')).toMatchObject({ keptWithdrawn: 1 });
  expect((await personPage(world.pool, 1))?.consents).toMatchObject([{ state: 'withdrawn' }]);
});

it.each([
  [true, ['entered', 'tagged', 'left']],
  [false, []]
])('tags of a file begin journeys: %s', async (begins, expected) => {
  await live(world, journey([put('seen')]));
  await importText('email,tags\na@b.example,in;other\n', { begins });
  await skipTo(world, MONDAY);
  expect((await trailOf(world.pool)).map((l) => l['what'])).toEqual(expected);
  expect((await personPage(world.pool, 1))?.tags.map((t) => t.tag).filter((t) => t !== 'seen')).toEqual([
    'in',
    'other'
  ]);
});

it('keeps an uploaded file in parts, for its owner alone, and not for ever', async () => {
  const { pool } = world;
  for (const name of ['one', 'two']) await createUser(pool, { email: `${name}@b.example`, name, password: 'x' });
  const id = await beginFile(pool, 1, 'p.csv', PART_BYTES + 3);
  const first = new Uint8Array(PART_BYTES).fill(97);
  expect(await keepPart(pool, 1, id, 1, new TextEncoder().encode('abc'))).toBe(true);
  expect(await importFile(pool, 1, id)).toMatchObject({ name: 'p.csv', whole: false });
  expect(await keepPart(pool, 1, id, 0, first)).toBe(true);
  expect(await keepPart(pool, 1, id, 0, first)).toBe(true);
  expect(await importFile(pool, 1, id)).toMatchObject({ whole: true });
  // Not someone else's, not beyond its end, not a file that is not there.
  expect(await importFile(pool, 2, id)).toBeNull();
  expect(await keepPart(pool, 2, id, 0, first)).toBe(false);
  expect(await keepPart(pool, 1, id, 1, new TextEncoder().encode('abcd'))).toBe(false);
  expect(await keepPart(pool, 1, id, 2, new TextEncoder().encode('x'))).toBe(false);
  expect(await keepPart(pool, 1, randomUUID(), 0, first)).toBe(false);
  const file = (await importFile(pool, 1, id))!;
  const parts = await collected(partsOf(pool, file));
  expect(parts.map((p) => p.length)).toEqual([PART_BYTES, 3]);

  // Read while it is taken away it is broken off, not taken for shorter than it is.
  const reading = partsOf(pool, file);
  await reading.next();

  await pool.query(`update import_files set created_at = now() - interval '25 hours'`);
  await beginFile(pool, 2, 'q.csv', 3);
  expect(await importFile(pool, 1, id)).toBeNull();
  await expect(reading.next()).rejects.toThrow('taken away');

  const many = [];
  for (let i = 0; i < 6; i++) many.push(await beginFile(pool, 1, `${i}.csv`, 3));
  const kept = await Promise.all(many.map((one) => importFile(pool, 1, one)));
  expect(kept.map((one) => one?.name ?? null)).toEqual([null, '1.csv', '2.csv', '3.csv', '4.csv', '5.csv']);
});

it('a review counts who enters now, and why others do not', async () => {
  const has = (id: string, change: (p: PersonState) => void) =>
    reachable(id, (p) => (p.fields.delete('phone'), p.tags.add('in'), change(p)));
  await addPeople(world.pool, [
    has('a', () => undefined),
    has('b', (p) => (p.consent = {})),
    has('c', (p) => p.tags.add('staff')),
    has('d', (p) => p.tags.add('done'))
  ]);
  const draft = journey([put('x')], {
    entry: { on: [{ happening: 'tag_added', tag: 'in' }], existing: true, where: { not: { tag: 'staff' } } },
    goal: { when: { tag: 'done' } }
  });
  await createJourney(world.pool, draft, 'test');
  expect(await review(world.pool, 1, draft)).toMatchObject({
    enterNow: 2,
    byEmail: 1,
    bySms: 0,
    kept: expect.arrayContaining([
      { reason: 'where', people: 1 },
      { reason: 'goal', people: 1 }
    ])
  });
});

it('a draft is not overwritten unseen, and a broken one is refused with its path', async () => {
  const draft = journey([put('x')]);
  await createJourney(world.pool, draft, 'test');
  expect(await saveDraft(world.pool, 'try', 1, { ...draft, name: 'One' })).toMatchObject({ ok: true, revision: 2 });
  expect(await saveDraft(world.pool, 'try', 1, { ...draft, name: 'Two' })).toMatchObject({
    ok: false,
    kind: 'changed',
    current: { revision: 2, document: { name: 'One' } }
  });
  expect(await saveDraft(world.pool, 'try', 2, { ...draft, lane: [{ kind: 'fly' }] })).toMatchObject({
    ok: false,
    kind: 'bad',
    message: expect.stringContaining('lane[0].kind') as string
  });
  expect(await saveDraft(world.pool, 'gone', 1, { ...draft, key: 'gone' })).toMatchObject({ ok: false, kind: 'gone' });
});
