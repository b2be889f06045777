/** Something done with many people at once: those of whom a condition is true, with some letters, or chosen by hand. */
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import type { Condition } from '../../core/condition/schema.ts';
import { askChangeOf, changesOfMany, undoChange } from '../../server/crowds/changes.ts';
import { stopCrowd, workCrowd } from '../../server/crowds/crowds.ts';
import {
  changeSchema,
  nextOf,
  selectionSchema,
  type Change,
  type Selection
} from '../../server/selection/selection.ts';
import { settle } from '../../server/running/skip.ts';
import { makeField } from '../../server/names/describe.ts';
import { typedChange } from '../../server/people/by-hand.ts';
import { countSelected } from '../../server/people/counting.ts';
import { saveSettings } from '../../server/settings/save.ts';
import { brake } from '../../server/journeys/brake.ts';
import { HOUR, journey, mail, MONDAY, reachable, wait } from '../make.ts';
import { addPeople, live, openWorld, skipTo, type World } from './world.ts';

let world: World;
beforeEach(async () => {
  world = await openWorld();
  await addPeople(
    world.pool,
    Array.from({ length: 30 }, (_, i) =>
      reachable(`p${i + 1}`, (p) => {
        p.fields.set('phone', `+4477009${String(i).padStart(5, '0')}`);
        p.fields.set('visits', i);
        if (i % 3 === 0) p.tags.add('third');
      })
    )
  );
});
afterEach(() => world.close());

const MANY: Selection = { where: { field: 'visits', gte: 10 } };
const tagged = async (tag: string): Promise<number> =>
  (await world.pool.query<{ n: number }>('select count(*) as n from person_tags where tag = $1', [tag])).rows[0]!.n;
const ask = (selection: Selection, change: Change): Promise<number | null> =>
  askChangeOf(world.pool, { selection, change, expected: 20, by: 'Nuala' });
const count = (selection: Selection, change: Change | null = null): ReturnType<typeof countSelected> =>
  countSelected(world.pool, world.engine.plans.settings, selection, change);
const work = (portion?: number): Promise<boolean> => workCrowd(world.pool, world.engine.plans.settings, portion);

it('a tag is put on those who do not have it yet, said in numbers before, and taken back from just those', async () => {
  const change: Change = { act: 'add tag', tag: 'third' };
  expect(await count(MANY, change)).toEqual({ people: 20, concerned: 14, exact: true });
  const id = await ask(MANY, change);
  await settle(world.engine, false);
  expect(await tagged('third')).toBe(24);
  const [done] = await changesOfMany(world.pool);
  expect(done).toMatchObject({ id, asked: 14, state: 'done', undone: false, asked_by: 'Nuala' });
  // However many ask for it at a time, it is taken back once.
  const undone = await Promise.all([1, 2, 3, 4].map(() => undoChange(world.pool, id!, 'Nuala')));
  expect(undone.filter((u) => u !== null)).toHaveLength(1);
  await settle(world.engine, false);
  // Those who had it before have it still.
  expect(await tagged('third')).toBe(10);
  expect((await changesOfMany(world.pool)).map((c) => c.undone)).toEqual([false, true]);
});

it('a field is set, by its type, on those who have another value; that is not taken back as a whole', async () => {
  await makeField(world.pool, { name: 'level', type: 'number', options: [] }, 'Ada');
  expect(await typedChange(world.pool, { act: 'set field', field: 'level', value: 'high' })).toEqual({
    ok: false,
    problem: '“level” takes a number, as 12.5.'
  });
  expect(await typedChange(world.pool, { act: 'set field', field: 'email', value: 'x@y.example' })).toMatchObject({
    ok: false
  });
  const typed = await typedChange(world.pool, { act: 'set field', field: 'level', value: '3' });
  const change: Change = { act: 'set field', field: 'level', value: 3 };
  expect(typed).toEqual({ ok: true, change });
  await ask({ ids: [12, 13] }, change);
  await settle(world.engine, false);
  expect(await count(MANY, change)).toEqual({ people: 20, concerned: 18, exact: true });
  const id = await ask(MANY, change);
  await settle(world.engine, false);
  const { rows } = await world.pool.query<{ n: number }>(
    `select count(*) as n from people where fields -> 'level' = '3'`
  );
  expect(rows).toEqual([{ n: 20 }]);
  expect(await undoChange(world.pool, id!, 'Nuala')).toBeNull();
  expect((await changesOfMany(world.pool))[0]).toMatchObject({ state: 'done', asked: 18 });
});

it('taken back while it is still on its way, nobody keeps it', async () => {
  const id = await ask(MANY, { act: 'add tag', tag: 'new' });
  await work(7);
  expect(await undoChange(world.pool, id!, 'Nuala')).not.toBeNull();
  await settle(world.engine, false);
  expect(await tagged('new')).toBe(0);
});

it('in portions, stopped and going on, each once', async () => {
  const id = await ask(MANY, { act: 'add list', list: 'news' });
  await work(6);
  expect(await stopCrowd(world.pool, id!, true)).toBe(true);
  await settle(world.engine, false);
  expect((await changesOfMany(world.pool))[0]).toMatchObject({ asked: 6, state: 'stopped' });
  await stopCrowd(world.pool, id!, false);
  await Promise.all([work(6), work(6)]);
  await settle(world.engine, false);
  const { rows } = await world.pool.query<{ n: number; asked: number }>(
    `select (select count(*) from person_lists where list = 'news') as n,
       (select count(*) from happenings where source = 'crowd') as asked`
  );
  expect(rows).toEqual([{ n: 20, asked: 20 }]);
});

it('by letters and by hand', async () => {
  expect(await count({ text: 'p1@' })).toMatchObject({ people: 1 });
  expect(await count({ text: 'p1 people' })).toMatchObject({ people: 11 });
  expect(await count({ ids: [3, 4, 999] })).toMatchObject({ people: 2, exact: true });
  await ask({ ids: [3, 4, 999] }, { act: 'add tag', tag: 'picked' });
  await settle(world.engine, false);
  expect(await tagged('picked')).toBe(2);
});

describe('a journey', () => {
  const lane = [mail('a'), wait('w', 'P5D'), mail('b')];
  const walking = async (): Promise<number> =>
    (await world.pool.query<{ n: number }>(`select count(*) as n from walks where state = 'walking'`)).rows[0]!.n;

  it('takes them in, and those inside are taken out', async () => {
    await live(world, journey(lane));
    await ask(MANY, { act: 'enter', journey: 'try' });
    await settle(world.engine, false);
    expect(await walking()).toBe(20);
    expect(await count({}, { act: 'end', journey: 'try' })).toMatchObject({ people: 30, concerned: 20 });
    await ask({ where: { field: 'visits', gte: 25 } }, { act: 'end', journey: 'try' });
    await settle(world.engine, false);
    expect(await walking()).toBe(15);
  });

  it('that takes nobody in, or is none, is refused', async () => {
    expect(await ask(MANY, { act: 'enter', journey: 'nowhere' })).toBeNull();
    await live(world, journey(lane));
    await brake(world.pool, 'try', 'close', 'test');
    expect(await ask(MANY, { act: 'enter', journey: 'try' })).toBeNull();
    expect(await ask(MANY, { act: 'end', journey: 'try' })).not.toBeNull();
  });
});

it('where the database cannot tell, the core does: the words of an answer', async () => {
  await world.pool.query(
    `insert into happenings (person_id, name, at, source, data, handled_at, record)
     select id, 'replied', $1::timestamptz, 'test', jsonb_build_object('text', case when id = 5 then 'Yes' else 'no' end), $1::timestamptz, 1
     from people where id in (4, 5, 6)`,
    [new Date(MONDAY - HOUR).toISOString()]
  );
  const { workspace } = await world.engine.plans.settings.read(world.pool);
  const found = async (where: Condition): Promise<number[]> =>
    (await nextOf(world.pool, { where }, 0, 1000, MONDAY, workspace)).ids;
  expect(await found({ did: 'replied' })).toEqual([4, 5, 6]);
  expect(await found({ did: 'replied', matches: ['yes'] })).toEqual([5]);
  expect(await found({ all: [{ field: 'visits', lt: 10 }, { not: { did: 'replied', matches: ['yes'] } }] })).toEqual([
    1, 2, 3, 4, 6, 7, 8, 9, 10
  ]);
});

it('goes on past people of whom nobody belongs', async () => {
  await world.pool.query(
    `insert into people (email, fields, created_at, updated_at) select 'x' || n || '@people.example', '{"visits": "many"}', now(), now() from generate_series(1, 12000) n`
  );
  const [last] = await addPeople(world.pool, [
    reachable('late', (p) => (p.fields.set('visits', 99), p.fields.delete('phone')))
  ]);
  await ask({ where: { field: 'visits', gte: 29 } }, { act: 'add tag', tag: 'far' });
  await skipTo(world, MONDAY + HOUR);
  const { rows } = await world.pool.query<{ id: number }>(
    `select person_id as id from person_tags where tag = 'far' order by 1`
  );
  expect(rows.map((r) => r.id)).toEqual([30, last]);
});

it('one that cannot be asked stops, says why, and holds up no other', async () => {
  const bad = await ask(MANY, { act: 'add tag', tag: 'never' });
  await world.pool.query(
    `update crowds set selection = '{"where": {"field": "visits", "gte": {}}, "text": 7}' where id = $1`,
    [bad]
  );
  await ask(MANY, { act: 'add tag', tag: 'behind' });
  await settle(world.engine, false);
  expect(await tagged('behind')).toBe(20);
  const [, stopped] = await changesOfMany(world.pool);
  expect(stopped).toMatchObject({ id: bad, state: 'stopped', problem: expect.any(String) });
  expect(selectionSchema.safeParse({ where: { any: Array(400).fill({ tag: 't' }) } }).success).toBe(false);
});

it('points are given to all of them, within what the score allows, and stay when the model is worked out anew', async () => {
  const model = (add: number): object => ({
    format: 'ambulo.settings/1',
    scores: [{ name: 'interest', rules: [{ when: { happening: 'opened' }, add }], ceiling: 8 }]
  });
  await saveSettings(world.pool, model(1), 'Ada');
  await ask({ ids: [1, 2] }, { act: 'add points', score: 'interest', points: 5 });
  await ask({ ids: [2] }, { act: 'add points', score: 'interest', points: 5 });
  await settle(world.engine, false);
  const points = async (): Promise<unknown[]> =>
    (await world.pool.query('select person_id::integer as id, points from scores order by 1')).rows;
  expect(await points()).toEqual([
    { id: 1, points: 5 },
    { id: 2, points: 8 }
  ]);
  await saveSettings(world.pool, model(2), 'Ada');
  await settle(world.engine, false);
  expect(await points()).toEqual([
    { id: 1, points: 5 },
    { id: 2, points: 8 }
  ]);
  expect(changeSchema.safeParse({ act: 'add points', score: 'x', points: 0 }).success).toBe(false);
  expect(await undoChange(world.pool, (await changesOfMany(world.pool))[0]!.id, 'Ada')).toBeNull();
});

it('all of them are erased, in portions, and the others stay; stopped, those who are left stay too', async () => {
  await ask(MANY, { act: 'erase' });
  expect(await work(7)).toBe(true);
  const left = async (): Promise<number> =>
    (await world.pool.query<{ n: number }>('select count(*) as n from people')).rows[0]!.n;
  expect(await left()).toBe(23);
  const [crowd] = await changesOfMany(world.pool);
  await stopCrowd(world.pool, crowd!.id, true);
  expect(await work(7)).toBe(false);
  await stopCrowd(world.pool, crowd!.id, false);
  await settle(world.engine, false);
  expect(await left()).toBe(10);
  expect((await world.pool.query('select count(*) as n from erased')).rows).toEqual([{ n: 40 }]);
  // No more are erased than were seen, whoever is found by then.
  await askChangeOf(world.pool, {
    selection: { where: { field: 'visits', gte: 0 } },
    change: { act: 'erase' },
    expected: 4,
    by: 'Nuala'
  });
  await settle(world.engine, false);
  expect(await left()).toBe(6);
  expect(
    (await world.pool.query(`select count(*) as n from acts where what = 'erased' and by = 'Nuala'`)).rows
  ).toEqual([{ n: 24 }]);
});
