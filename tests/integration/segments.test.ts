/** Segments and dates as time passes and people come: who is in without anything having happened, who joins, and when. */
import { afterEach, beforeEach, expect, it } from 'vitest';
import { importWhole } from '../../server/imports/whole.ts';
import { workCrowd } from '../../server/crowds/crowds.ts';
import { saveSettings } from '../../server/settings/save.ts';
import { askChange } from '../../server/people/inputs.ts';
import { brake } from '../../server/journeys/brake.ts';
import type { Settings } from '../../core/settings/schema.ts';
import { DAYS, HOUR, journey, MONDAY, put, reachable, settings } from '../make.ts';
import { addPeople, live, openWorld, skipTo, trailOf, type World } from './world.ts';

let world: World;
beforeEach(async () => {
  world = await openWorld();
});
afterEach(() => world.close());

async function save(shared: Settings): Promise<void> {
  const saved = await saveSettings(world.pool, shared, 'test');
  if (!saved.ok) throw new Error(saved.problems.join('; '));
  await skipTo(world, MONDAY);
}
async function bring(csv: string): Promise<void> {
  await importWhole(world.pool, Buffer.from(csv), (plan) => ({
    ...plan,
    consent: { ...plan.consent, source: 'test' }
  }));
}
const members = async (): Promise<number[]> =>
  (await world.pool.query<{ id: number }>('select person_id as id from person_segments order by 1')).rows.map(
    (r) => r.id
  );
const entered = async (): Promise<string[]> =>
  (await trailOf(world.pool)).flatMap((l) =>
    l['what'] === 'entered' ? [`${l.person as string} ${l.at as string}`] : []
  );
const iso = (at: number): string => new Date(at).toISOString();
const REGULARS = settings({ segments: [{ name: 'here', when: { field: 'town', is: 'Quillmoor' } }] });
const joined = journey([put('x')], {
  entry: { on: [{ happening: 'segment_joined', segment: 'here' }], again: 'each' }
});

it('who is in a segment when it is made is in it silently; who comes or changes later joins', async () => {
  await addPeople(world.pool, [reachable('1', (p) => p.fields.set('town', 'Quillmoor'))]);
  await save(REGULARS);
  expect(await members()).toEqual([1]);
  await live(world, joined);
  await skipTo(world, MONDAY + HOUR);
  expect(await entered()).toEqual([]);
  await bring('email,town\nnew@people.example,Quillmoor\nother@people.example,Elsewhere\n');
  await skipTo(world, MONDAY + 2 * HOUR);
  await askChange(world.pool, [3], { fields: { town: 'Quillmoor' } }, 'test');
  await skipTo(world, MONDAY + 3 * HOUR);
  expect(await entered()).toEqual([`2 ${iso(MONDAY + HOUR)}`, `3 ${iso(MONDAY + 2 * HOUR)}`]);
  expect(await members()).toEqual([1, 2, 3]);
  // Brought again with another town: they leave it.
  await bring('email,town\nnew@people.example,Elsewhere\n');
  await skipTo(world, MONDAY + 4 * HOUR);
  expect(await members()).toEqual([1, 3]);
});

it('a segment that is changed is held against everyone anew, silently; a look leaves no row behind', async () => {
  await addPeople(world.pool, [
    reachable('1', (p) => p.fields.set('town', 'Quillmoor')),
    reachable('2', (p) => p.fields.set('town', 'Ennis').set('phone', '+447700900002'))
  ]);
  await save(REGULARS);
  await live(world, joined);
  const saved = await saveSettings(
    world.pool,
    settings({ segments: [{ name: 'here', when: { field: 'town', is: 'Ennis' } }] }),
    'test'
  );
  expect(saved.ok).toBe(true);
  await skipTo(world, MONDAY + HOUR);
  expect(await members()).toEqual([2]);
  expect(await entered()).toEqual([]);
  expect((await world.pool.query(`select from happenings where name = 'look'`)).rows).toEqual([]);
});

it('what hangs on the clock changes at midnight, once for several that passed', async () => {
  await addPeople(world.pool, [reachable('1', (p) => p.fields.set('visit', iso(MONDAY - DAYS).slice(0, 10)))]);
  await save(settings({ segments: [{ name: 'lately', when: { field: 'visit', last: 'P3D' } }] }));
  expect(await members()).toEqual([1]);
  await live(world, journey([put('x')], { entry: { on: [{ happening: 'segment_left', segment: 'lately' }] } }));
  await skipTo(world, MONDAY + 9 * DAYS);
  const [left] = await entered();
  expect(left).toMatch(/^1 2027-03-\d\dT00:00:00\.000Z$/);
  expect(await members()).toEqual([]);
});

it('at midnight only those are looked at whom the clock may have moved, so many at once', async () => {
  await addPeople(
    world.pool,
    Array.from({ length: 60 }, (_, i) =>
      reachable(String(i + 1), (p) => {
        p.fields.delete('phone');
        p.fields.set('visit', iso(MONDAY - (i % 6) * DAYS).slice(0, 10));
        if (i % 10 === 0) p.scores.set('interest', 3);
      })
    )
  );
  await save(
    settings({
      segments: [
        { name: 'lately', when: { field: 'visit', last: 'P3D' } },
        { name: 'keen', when: { score: 'interest', gte: 2 } },
        { name: 'both', when: { all: [{ segment: 'lately' }, { segment: 'keen' }] } }
      ],
      scores: [{ name: 'interest', rules: [], decay: { by: 1, every: 'P9D' } }]
    })
  );
  await skipTo(world, MONDAY + DAYS);
  const { rows } = await world.pool.query<{ asked: number }>(`select asked from crowds where kind = 'midnight'`);
  // Ten whose third day is over, and the keen ones among the others: their points may have decayed, which the core can tell.
  expect(rows.map((r) => r.asked)).toEqual([16]);
  // Again, a few at a time: nobody is passed over where one portion ends and the next begins.
  await world.pool.query('delete from person_segments');
  await world.pool.query(`delete from happenings where source = 'crowd'`);
  await world.pool.query(
    `insert into crowds (kind, begins_at, total, asked_by) select 'midnight', practice_now, 60, 'test' from workspace`
  );
  // Thirty who came lately, and two keen ones who did not.
  const portions: number[] = [];
  const asked = async (): Promise<number> =>
    (await world.pool.query<{ n: number }>('select sum(asked) as n from crowds')).rows[0]!.n;
  for (let before = await asked(); await workCrowd(world.pool, world.engine.plans.settings, 7); before = await asked())
    portions.push((await asked()) - before);
  expect(portions).toEqual([7, 7, 7, 7, 4]);
  await skipTo(world, MONDAY + DAYS);
  const { rows: kept } = await world.pool.query(
    'select segment, count(*) as n from person_segments group by 1 order by 1'
  );
  expect(kept).toEqual([
    { segment: 'both', n: 4 },
    { segment: 'keen', n: 6 },
    { segment: 'lately', n: 30 }
  ]);
});

it('a date lets in who comes with it, and not who comes after it has passed; nor while the journey was paused', async () => {
  await live(world, journey([put('x')], { entry: { date: { field: 'visit', time: '10:00' } } }));
  await bring(
    'email,visit\nsoon@people.example,2027-03-03\npast@people.example,2027-02-20\nlater@people.example,2027-03-05\n'
  );
  await skipTo(world, MONDAY + 3 * DAYS);
  expect(await entered()).toEqual(['1 2027-03-03T10:00:00.000Z']);
  await brake(world.pool, 'try', 'pause', 'test');
  await skipTo(world, MONDAY + 6 * DAYS);
  await brake(world.pool, 'try', 'resume', 'test');
  await skipTo(world, MONDAY + 9 * DAYS);
  expect(await entered()).toHaveLength(1);
});
