/** Drafts that several people work on, counts as they are typed, and files that are brought in, over a real database. */
import { afterAll, beforeAll, beforeEach, expect, it } from 'vitest';
import type { Condition } from '../../core/condition/schema.ts';
import { acceptedIn, acceptFinding } from '../../server/journeys/accepted.ts';
import { aroundOf, lackingFields } from '../../server/journeys/around.ts';
import { bringFile, lookAtFile } from '../../server/journeys/bring.ts';
import {
  cloneJourney,
  createJourney,
  journeyByKey,
  lockJourney,
  saveDraft,
  versionsOf
} from '../../server/journeys/journeys.ts';
import { goneFrom, hereToo } from '../../server/journeys/open-drafts.ts';
import { countPeople, TooLong, valuesOf } from '../../server/people/counting.ts';
import { knownNames } from '../../server/people/names.ts';
import { SettingsBook } from '../../server/workspace/settings.ts';
import { journey, mail, put } from '../make.ts';
import { openWorld, type World } from './world.ts';

let world: World;
beforeAll(async () => {
  world = await openWorld();
});
afterAll(async () => world.close());
beforeEach(async () => {
  await world.pool.query('truncate journeys, people cascade');
  await world.pool.query(
    `insert into people (id, email, first_name, fields, created_at, updated_at) overriding system value
     select i, 'p' || i || '@people.example', case when i % 2 = 0 then 'Ida' end,
       jsonb_build_object('town', case i % 3 when 0 then 'Perth' when 1 then 'Cork' else '' end, 'visits', i, 'likes', jsonb_build_array('planets', 'moons')),
       now(), now() from generate_series(1, 30) as i`
  );
  await world.pool.query(`insert into tags (name, created_at) values ('keen', now()) on conflict do nothing`);
  await world.pool.query(
    `insert into person_tags (person_id, tag, since) select id, 'keen', now() from people where id <= 10`
  );
});

const settings = new SettingsBook();
const count = async (...conditions: Condition[]): Promise<unknown[]> =>
  (await countPeople(world.pool, settings, conditions)).counts.map((c) => c.people);

it('counts each of several conditions at once; what only a walk knows is not counted', async () => {
  const asked: Condition[] = [
    { tag: 'keen' },
    { not: { tag: 'keen' } },
    { all: [{ tag: 'keen' }, { field: 'town', is: 'perth' }] },
    { field: 'visits', gt: 25 },
    { did: 'opened', of: 'a' },
    { not: { came: 'hand' } }
  ];
  expect(await count(...asked)).toEqual([10, 20, 3, 5, null, null]);
  // Alone each is asked for in another way, and is the same.
  for (const [i, one] of [10, 20, 3, 5, null, null].entries()) expect(await count(asked[i]!)).toEqual([one]);
  expect((await countPeople(world.pool, settings, [{ tag: 'keen' }])).of).toBe(30);
});

it('no more than two look at a time, and the third is told so', async () => {
  const looks = await Promise.allSettled(
    Array.from({ length: 6 }, () => countPeople(world.pool, settings, [{ tag: 'keen' }]))
  );
  expect(looks.filter((l) => l.status === 'fulfilled').length).toBeGreaterThanOrEqual(2);
  for (const look of looks) if (look.status === 'rejected') expect(look.reason).toBeInstanceOf(TooLong);
  expect(await count({ tag: 'keen' })).toEqual([10]);
});

it('of many more people than are looked at a part is, and the figure says so', async () => {
  await world.pool.query('analyze people');
  const { of, estimatedFrom, counts } = await countPeople(world.pool, settings, [{ field: 'visits', set: true }], 10);
  expect(of).toBe(30);
  // A part is of whole pages of the table, and these people stand on one.
  expect([0, 30]).toContain(estimatedFrom);
  expect(counts[0]?.people).toBe(estimatedFrom);
});

it('a rule of thousands of questions is refused with its reason, and stops nobody', async () => {
  const any = Array.from({ length: 3000 }, (_, i): Condition => ({ tag: `t${i}` }));
  await expect(countPeople(world.pool, settings, [{ any }])).rejects.toBeInstanceOf(TooLong);
  expect(await count({ tag: 'keen' })).toEqual([10]);
});

it('hostile names are names and nothing else', async () => {
  for (const name of [`x'; drop table people; --`, '\\', '"', 'a'.repeat(500)]) {
    expect(await count({ field: name, is: name }, { tag: name })).toEqual([0, 0]);
    expect(await valuesOf(world.pool, name)).toEqual([]);
  }
});

it('the values of a field, those of several choices each by itself', async () => {
  expect(await valuesOf(world.pool, 'town')).toEqual([
    { value: 'Cork', people: 10 },
    { value: 'Perth', people: 10 }
  ]);
  expect((await valuesOf(world.pool, 'likes')).map((v) => v.value)).toEqual(['moons', 'planets']);
  expect(await valuesOf(world.pool, 'first_name')).toEqual([{ value: 'Ida', people: 15 }]);
});

it('who else has a draft open, and where, until they go', async () => {
  await createJourney(world.pool, journey([mail('a')]), 'test');
  const [one, two] = ['8c1b6f0e-1b4f-4c58-9d0e-000000000001', '8c1b6f0e-1b4f-4c58-9d0e-000000000002'] as const;
  expect(await hereToo(world.pool, 'try', { place: one, name: 'Nuala', step: 'a' })).toMatchObject({
    others: [],
    revision: 1
  });
  expect(await hereToo(world.pool, 'try', { place: two, name: 'Sam', step: null })).toMatchObject({
    others: [{ name: 'Nuala', step: 'a' }]
  });
  await goneFrom(world.pool, 'try', one);
  expect((await hereToo(world.pool, 'try', { place: two, name: 'Sam', step: null }))?.others).toEqual([]);
  // Whoever is not heard of any more is gone too.
  await world.pool.query(`update open_drafts set seen_at = now() - interval '1 minute'`);
  expect((await hereToo(world.pool, 'try', { place: one, name: 'Nuala', step: null }))?.others).toEqual([]);
  expect(await hereToo(world.pool, 'not-there', { place: one, name: 'Nuala', step: null })).toBeNull();
});

it('a locked draft is saved by nobody, and locked by one', async () => {
  await createJourney(world.pool, journey([mail('a')]), 'test');
  expect(await lockJourney(world.pool, 'try', 'Nuala', 'printing')).toBe(true);
  expect(await lockJourney(world.pool, 'try', 'Sam', 'mine')).toBe(false);
  expect(await saveDraft(world.pool, 'try', 1, journey([put('x')]))).toMatchObject({
    kind: 'locked',
    message: /printing/
  });
  expect(await lockJourney(world.pool, 'try', 'Sam', null)).toBe(true);
  expect(await saveDraft(world.pool, 'try', 1, journey([put('x')]), 'Sam')).toMatchObject({ ok: true });
  expect(await journeyByKey(world.pool, 'try')).toMatchObject({ draft_saved_by: 'Sam' });
});

it('a remark is accepted with a reason until it counts again; what blocks is not', async () => {
  await createJourney(world.pool, journey([mail('a')]), 'test');
  const { id } = (await journeyByKey(world.pool, 'try'))!;
  const finding = { severity: 'remark' as const, check: 'no-goal', step: null, text: 'No goal: 12 people.' };
  expect(await acceptFinding(world.pool, 'try', finding, 'a letter has none', 'Nuala')).toBe(true);
  // The same finding with another number is the same.
  expect(Object.values(await acceptedIn(world.pool, id))).toMatchObject([{ reason: 'a letter has none', by: 'Nuala' }]);
  await acceptFinding(world.pool, 'try', { ...finding, text: 'No goal: 13 people.' }, 'still', 'Sam');
  expect(Object.values(await acceptedIn(world.pool, id))).toMatchObject([{ reason: 'still', by: 'Sam' }]);
  await acceptFinding(world.pool, 'try', finding, null, 'Nuala');
  expect(await acceptedIn(world.pool, id)).toEqual({});
  expect(await acceptFinding(world.pool, 'try', { ...finding, severity: 'blocker' }, 'x', 'Nuala')).toBe(false);
});

it('what is around a journey: the others without their words, names that people have, who lacks a field', async () => {
  await createJourney(world.pool, journey([mail('secret')], { key: 'other', name: 'Other' }), 'test');
  await createJourney(world.pool, journey([mail('a')]), 'test');
  const around = await aroundOf(world.pool, 'try');
  expect(around.journeys).toMatchObject([{ key: 'other', live: false }]);
  expect(JSON.stringify(around.journeys)).not.toContain('secret');
  expect(around.canBeTexted).toBe(0);
  expect(around.tags).toContain('keen');
  const greets = journey([{ ...mail('a'), text: 'Hello {{ person.first_name }}' } as never]);
  expect(await lackingFields(world.pool, greets)).toEqual({ people: 30, without: { first_name: 15 } });
  expect(await knownNames(world.pool)).toMatchObject({ tags: ['keen'], segments: [], rungs: [] });
});

it('a file is looked at, then brought in with the fields it names; a copy is another journey', async () => {
  const file = JSON.stringify(journey([mail('a')], { entry: { on: [], where: { field: 'telescope', set: true } } }));
  expect(await lookAtFile(world.pool, file)).toMatchObject({
    brought: { steps: 1, missing: { fields: ['telescope'] } }
  });
  expect(await lookAtFile(world.pool, '{')).toHaveProperty('problems');
  const key = await bringFile(world.pool, file, 'test', true);
  expect(await lookAtFile(world.pool, file)).toMatchObject({ brought: { missing: { fields: [] } } });
  expect(await bringFile(world.pool, '[]', 'test', false)).toBeNull();
  const copy = await cloneJourney(world.pool, key!, 'test');
  expect(await journeyByKey(world.pool, copy!)).toMatchObject({ key: copy, live_version: null, draft: { key: copy } });
  expect(await cloneJourney(world.pool, 'not-there', 'test')).toBeNull();
  expect(await versionsOf(world.pool, (await journeyByKey(world.pool, copy!))!.id)).toEqual([]);
});
