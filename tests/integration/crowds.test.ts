/** Many people at once: existing ones in portions that can be stopped and go on, versions changed under way, a journey ended for everyone. */
import { afterEach, beforeEach, expect, it } from 'vitest';
import { nextCrowd, crowdsOf, stopCrowd, workCrowd } from '../../server/crowds/crowds.ts';
import { runBatch } from '../../server/engine/batch.ts';
import { brake, deleteJourney } from '../../server/journeys/brake.ts';
import { createJourney, saveDraft } from '../../server/journeys/journeys.ts';
import { setLive } from '../../server/journeys/going-live.ts';
import { review } from '../../server/journeys/review.ts';
import { askEntry } from '../../server/people/inputs.ts';
import { settle } from '../../server/running/skip.ts';
import type { Journey } from '../../core/journey/schema.ts';
import { DAYS, HOUR, journey, mail, MONDAY, put, reachable, wait } from '../make.ts';
import { addPeople, live, openWorld, skipTo, trailOf, type World } from './world.ts';

let world: World;
beforeEach(async () => {
  world = await openWorld();
});
afterEach(() => world.close());

const crowd = (n: number, tag = 'in') =>
  Array.from({ length: n }, (_, i) =>
    reachable(String(i + 1), (p) => (p.fields.set('phone', `+4477009${String(i).padStart(5, '0')}`), p.tags.add(tag)))
  );
const entered = async (): Promise<number> =>
  (await world.pool.query<{ n: number }>('select count(*) as n from walks')).rows[0]!.n;
const EXISTING: Partial<Journey> = { entry: { on: [{ happening: 'tag_added', tag: 'in' }], existing: true } };

it('existing people come in by portions; stopped, they wait; killed in between, nobody is asked twice', async () => {
  await addPeople(world.pool, crowd(25));
  await live(world, journey([put('x')], EXISTING));
  expect(await workCrowd(world.pool, world.engine.plans.settings, 10)).toBe(true);
  // The next portion, broken off before it is written.
  const db = await world.pool.connect();
  await db.query('begin');
  await db.query('rollback');
  db.release();
  const [row] = await crowdsOf(world.pool, 1);
  expect(row).toMatchObject({ kind: 'existing', asked: 10, total: 25, state: 'running' });
  expect(await stopCrowd(world.pool, row!.id, true)).toBe(true);
  expect(await workCrowd(world.pool, world.engine.plans.settings, 10)).toBe(false);
  await settle(world.engine, false);
  expect(await entered()).toBe(10);
  expect(await stopCrowd(world.pool, row!.id, false)).toBe(true);
  // Two workers at once take different portions.
  await Promise.all([
    workCrowd(world.pool, world.engine.plans.settings, 10),
    workCrowd(world.pool, world.engine.plans.settings, 10)
  ]);
  await settle(world.engine, false);
  expect(await entered()).toBe(25);
  expect(await crowdsOf(world.pool, 1)).toEqual([]);
  const twice = await world.pool.query('select person_id from walks group by 1 having count(*) > 1');
  expect(twice.rows).toEqual([]);
});

it('what others do does not stand behind a crowd', async () => {
  await addPeople(world.pool, [...crowd(30), reachable('other', (p) => p.fields.set('phone', '+447700800000'))]);
  await live(world, journey([put('x')], EXISTING), journey([put('y')], { key: 'quick' }));
  await workCrowd(world.pool, world.engine.plans.settings, 5);
  await askEntry(world.pool, [31], 'quick', 'test');
  await runBatch(world.pool, world.engine.plans, 10);
  expect((await trailOf(world.pool)).some((l) => l['journey'] === 'quick')).toBe(true);
  expect(await entered()).toBeLessThan(10);
});

it('those who have it when a journey opens later come in then', async () => {
  await addPeople(world.pool, crowd(3));
  await live(
    world,
    journey([put('x')], { entry: { ...EXISTING.entry, opens: new Date(MONDAY + DAYS).toISOString() } })
  );
  await settle(world.engine, false);
  expect(await entered()).toBe(0);
  expect(await nextCrowd(world.pool)).toBe(MONDAY + DAYS);
  await skipTo(world, MONDAY + DAYS);
  expect(await entered()).toBe(3);
});

it('an import or a hand that comes later needs no crowd, and a paused journey lets its crowd wait', async () => {
  await addPeople(world.pool, crowd(4));
  await live(world, journey([put('x')], EXISTING));
  await brake(world.pool, 'try', 'pause', 'test');
  await settle(world.engine, false);
  expect(await entered()).toBe(0);
  await brake(world.pool, 'try', 'resume', 'test');
  await settle(world.engine, false);
  expect(await entered()).toBe(4);
});

const first = journey([mail('a'), wait('w', 'P2D'), mail('b')], EXISTING);
async function change(document: Journey, inside: 'stay' | 'move'): Promise<void> {
  const saved = await saveDraft(world.pool, 'try', 1, document);
  if (!saved.ok) throw new Error(saved.message);
  const result = await setLive(world.pool, 'try', 2, 'test', inside);
  if (!result.ok) throw new Error(result.message);
}
const sentSteps = async (): Promise<unknown[]> =>
  (await trailOf(world.pool)).flatMap((l) =>
    l['what'] === 'sent' || l['what'] === 'moved' ? [`${l['what']} ${l['step']}`] : []
  );

it('those inside go on in the version they entered', async () => {
  await addPeople(world.pool, crowd(1));
  await live(world, first);
  await skipTo(world, MONDAY + HOUR);
  await change(journey([mail('a'), wait('w', 'P2D'), mail('c')], EXISTING), 'stay');
  await skipTo(world, MONDAY + 5 * DAYS);
  expect(await sentSteps()).toEqual(['sent a', 'sent b']);
});

it('or move over where their step is still there; the rest is listed and stays; figures go with them', async () => {
  await addPeople(world.pool, crowd(2));
  await live(world, first);
  await skipTo(world, MONDAY + HOUR);
  const next = journey([mail('z'), wait('w', 'P9D'), mail('c')], EXISTING);
  expect(await review(world.pool, 1, next)).toMatchObject({ insideEarlier: 2, cannotMove: [] });
  const other = journey([mail('z'), wait('elsewhere', 'P9D')], EXISTING);
  expect(await review(world.pool, 1, other)).toMatchObject({
    insideEarlier: 2,
    cannotMove: [{ step: 'w', people: 2 }]
  });
  await change(next, 'move');
  await settle(world.engine, false);
  const { rows } = await world.pool.query('select version, step, due_at from walks order by person_id');
  // What they stand for stays as it was.
  expect(rows).toEqual([1, 2].map(() => ({ version: 2, step: 'w', due_at: MONDAY + 2 * DAYS })));
  const counted = await world.pool.query(
    `select version, sum(n) as n from counters where what = 'walking' and day = '0001-01-01' group by 1 having sum(n) <> 0`
  );
  expect(counted.rows).toEqual([{ version: 2, n: 2 }]);
  await skipTo(world, MONDAY + 3 * DAYS);
  expect(await sentSteps()).toEqual(['sent a', 'sent a', 'moved w', 'moved w', 'sent c', 'sent c']);
});

it('whose step is gone stays in the old version and finishes there', async () => {
  await addPeople(world.pool, crowd(1));
  await live(world, first);
  await skipTo(world, MONDAY + HOUR);
  await change(journey([mail('z')], EXISTING), 'move');
  await skipTo(world, MONDAY + 5 * DAYS);
  expect(await sentSteps()).toEqual(['sent a', 'sent b']);
});

it('ended for everyone: they leave, what waits does not go out, and nobody gets in any more', async () => {
  await addPeople(world.pool, crowd(3));
  await live(world, first);
  await world.pool.query(
    `update channels set stopped_at = now(), next_probe = now() + interval '1 hour' where channel = 'email'`
  );
  while (await workCrowd(world.pool, world.engine.plans.settings));
  while ((await runBatch(world.pool, world.engine.plans)).people);
  expect(await brake(world.pool, 'try', 'end', 'test')).toBe(true);
  await world.pool.query(`update channels set stopped_at = null where channel = 'email'`);
  await askEntry(world.pool, [1], 'try', 'test');
  await skipTo(world, MONDAY + 9 * DAYS);
  expect(world.postbox.mails).toEqual([]);
  const left = (await trailOf(world.pool)).filter((l) => l['what'] === 'left');
  expect(left).toHaveLength(3);
  expect(left[0]).toMatchObject({ as: 'early', reason: 'ended' });
  expect(await entered()).toBe(3);
  expect(await brake(world.pool, 'try', 'archive', 'test')).toBe(true);
  expect(await deleteJourney(world.pool, 'try', 'test')).toBe(false);
  const acts = await world.pool.query('select what from acts order by id');
  expect(acts.rows.map((r: { what: string }) => r.what)).toEqual(['end', 'archive']);
});

it('a journey that nobody entered can be deleted; one that is live cannot', async () => {
  await live(world, journey([put('x')]));
  expect(await deleteJourney(world.pool, 'try', 'test')).toBe(false);
  await createJourney(world.pool, journey([put('x')], { key: 'other' }), 'test');
  expect(await deleteJourney(world.pool, 'other', 'test')).toBe(true);
  expect(await deleteJourney(world.pool, 'other', 'test')).toBe(false);
});
