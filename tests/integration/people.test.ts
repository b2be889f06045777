/** Importing, finding, and conditions as SQL. */
import fc from 'fast-check';
import { afterEach, beforeEach, expect, it } from 'vitest';
import { journey, MONDAY, put, reachable } from '../make.ts';
import { compileCondition } from '../../core/condition/evaluate.ts';
import { conditionSchema, type Condition } from '../../core/condition/schema.ts';
import { conditionSql, Parameters } from '../../core/condition/sql.ts';
import { compileSettings } from '../../core/settings/workspace.ts';
import type { PersonState } from '../../core/person/state.ts';
import { checkRows, guessTargets, readTable } from '../../server/people/csv.ts';
import { importRows, matchRows } from '../../server/people/import.ts';
import { personPage, searchPeople } from '../../server/people/people.ts';
import { review } from '../../server/journeys/going-live.ts';
import { createJourney, saveDraft } from '../../server/journeys/journeys.ts';
import { addPeople, live, openWorld, skipTo, trailOf, type World } from './world.ts';

let world: World;
beforeEach(async () => {
  world = await openWorld();
});
afterEach(() => world.close());

async function importText(csv: string, begins = true) {
  const table = readTable(new TextEncoder().encode(csv));
  const { good, refused } = checkRows(table, guessTargets(table.header), 'IE');
  const { matched, refused: clashes } = await matchRows(world.pool, good);
  const end = await importRows(
    world.pool,
    matched.map((m) => m.row),
    { importId: 'i', begins },
    () => undefined
  );
  return { ...end, refused: [...refused, ...clashes] };
}

it('makes new people, updates known ones by email or else by phone, and takes nobody out', async () => {
  expect(
    await importText('email,phone,first_name,town\na@b.example,+447700900001,Ada,Quillmoor\nc@d.example,,Cora,\n')
  ).toMatchObject({ made: 2, updated: 0 });
  expect(await importText('email,first_name\nA@B.example,Adela\n')).toMatchObject({ made: 0, updated: 1 });
  expect(await importText('phone,town\n+447700900001,Thornmere\n')).toMatchObject({ made: 0, updated: 1 });
  const { people, total } = await searchPeople(world.pool, {
    text: 'adela',
    tag: null,
    sort: 'name',
    descending: false,
    page: 1
  });
  expect(total).toBe(1);
  expect(people[0]).toMatchObject({ email: 'a@b.example', phone: '+447700900001', town: 'Thornmere' });
});

it('refuses a row whose two addresses belong to two people', async () => {
  await importText('email,phone\na@b.example,\n,+447700900002\n');
  expect((await importText('email,phone\na@b.example,+447700900002\n')).refused).toMatchObject([
    { line: 2, reason: 'this phone number belongs to someone with another email' }
  ]);
});

it('refuses a second row for one person', async () => {
  await importText('email,phone\na@b.example,+447700900002\n');
  expect((await importText('email,phone,town\na@b.example,,Here\n,+447700900002,There\n')).refused).toMatchObject([
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
  await importText('email,tags\na@b.example,in;other\n', begins);
  await skipTo(world, MONDAY);
  expect((await trailOf(world.pool)).map((l) => l['what'])).toEqual(expected);
  expect((await personPage(world.pool, 1))?.tags.map((t) => t.tag).filter((t) => t !== 'seen')).toEqual([
    'in',
    'other'
  ]);
});

it('stops between parts when asked, keeping what is in', async () => {
  const csv = 'email\n' + Array.from({ length: 1200 }, (_, i) => `p${i}@b.example`).join('\n');
  const table = readTable(new TextEncoder().encode(csv));
  const { good } = checkRows(table, guessTargets(table.header), 'IE');
  const stop = new AbortController();
  const end = await importRows(world.pool, good, { importId: 'i', begins: false, signal: stop.signal }, () =>
    stop.abort()
  );
  expect(end).toMatchObject({ done: 500, made: 500 });
  expect((await world.pool.query<{ n: number }>('select count(*) as n from people')).rows[0]?.n).toBe(500);
});

const workspace = compileSettings(null);

it('conditions as SQL agree with the core on everyone', async () => {
  const towns = ['Quillmoor', 'quillmoor', 'Thornmere', ''];
  const crowd = Array.from({ length: 40 }, (_, i) =>
    reachable(`p${i}`, (p) => {
      p.fields.delete('phone');
      if (i % 5) p.fields.set('town', towns[i % 4]!);
      if (i % 3) p.fields.set('first_name', ['Ada', 'ADA', 'Cora'][i % 3]!);
      if (i % 7 === 0) p.fields.set('visits', i);
      if (i % 2) p.fields.set('member', i % 4 === 1);
      if (i % 2) p.tags.add('x');
      if (i % 3 === 0) p.tags.add('y');
      if (i % 4 === 0) p.consent = {};
    })
  );
  const ids = await addPeople(world.pool, crowd);
  const leaf: fc.Arbitrary<Condition> = fc.oneof(
    fc.constantFrom<Condition>(
      { tag: 'x' },
      { tag: 'y' },
      { tag: 'z' },
      { consent: 'email' },
      { consent: 'sms' },
      { did: 'opened', of: 'a' }
    ),
    fc
      .tuple(
        fc.constantFrom('town', 'first_name', 'member', 'visits', 'nothing'),
        fc.constantFrom('is', 'not'),
        fc.constantFrom<string | number | boolean>('Quillmoor', 'ada', '', true, false, 7, 14)
      )
      .map(([field, how, value]) => ({ field, [how]: value }) as Condition),
    fc
      .tuple(fc.constantFrom('town', 'first_name', 'nothing'), fc.boolean())
      .map(([field, set]) => ({ field, set }) as Condition)
  );
  const { condition } = fc.letrec<{ condition: Condition }>((tie) => ({
    condition: fc.oneof(
      { maxDepth: 3 },
      leaf,
      fc.array(tie('condition'), { minLength: 1, maxLength: 3 }).map((all) => ({ all })),
      fc.array(tie('condition'), { minLength: 1, maxLength: 3 }).map((any) => ({ any })),
      tie('condition').map((not) => ({ not }))
    )
  }));
  await fc.assert(
    fc.asyncProperty(condition, async (c) => {
      expect(conditionSchema.safeParse(c).success).toBe(true);
      const parameters = new Parameters();
      const sql = conditionSql(c, parameters);
      const { rows } = await world.pool.query<{ id: number }>(
        `select p.id from people p where ${sql} order by p.id`,
        parameters.values
      );
      const test = compileCondition(c, 'try');
      const expected = crowd.flatMap((p: PersonState, i) =>
        test({ person: p, walk: null, at: MONDAY, zone: 'UTC', workspace }) ? [ids[i]] : []
      );
      expect(rows.map((r) => r.id)).toEqual(expected);
    }),
    { numRuns: 150 }
  );
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
    revision: 2
  });
  expect(await saveDraft(world.pool, 'try', 2, { ...draft, lane: [{ kind: 'fly' }] })).toMatchObject({
    ok: false,
    kind: 'bad',
    message: expect.stringContaining('lane[0].kind') as string
  });
  expect(await saveDraft(world.pool, 'gone', 1, { ...draft, key: 'gone' })).toMatchObject({ ok: false, kind: 'gone' });
});
