/** A reviewed draft that goes live at an instant. */
import { afterEach, beforeEach, expect, it } from 'vitest';
import { brake } from '../../server/journeys/brake.ts';
import { setLive } from '../../server/journeys/going-live.ts';
import { createJourney, journeyByKey, saveDraft } from '../../server/journeys/journeys.ts';
import { askLiveAt, callOffLiveAt, goLiveInTime, liveAtOf } from '../../server/journeys/live-at.ts';
import { today } from '../../server/results/today.ts';
import { DAYS, HOUR, journey, mail, MONDAY, reachable } from '../make.ts';
import { addPeople, openWorld, skipTo, trailOf, type World } from './world.ts';

let world: World;
beforeEach(async () => {
  world = await openWorld();
  await addPeople(world.pool, [reachable('p', (p) => void p.tags.add('in'))]);
  await createJourney(world.pool, draft('a'), 'test');
});
afterEach(() => world.close());

const draft = (key: string): ReturnType<typeof journey> =>
  journey([mail(key)], { entry: { on: [{ happening: 'tag_added', tag: 'in' }], existing: true } });
const sent = async (): Promise<unknown[]> =>
  (await trailOf(world.pool)).flatMap((l) => (l['what'] === 'sent' ? [`${String(l['step'])} ${String(l['at'])}`] : []));
const ask = (at = MONDAY + DAYS, revision = 1): ReturnType<typeof askLiveAt> =>
  askLiveAt(world.pool, 'try', revision, at, 'Nuala', 'stay');

it('goes live at that instant, as it was reviewed, once, whoever saved or asked meanwhile', async () => {
  expect(await ask()).toEqual({ ok: true });
  expect(await saveDraft(world.pool, 'try', 1, draft('b'))).toMatchObject({ ok: true });
  await skipTo(world, MONDAY + DAYS - HOUR);
  expect(await sent()).toEqual([]);
  await skipTo(world, MONDAY + DAYS + HOUR);
  expect(await sent()).toEqual([`a ${new Date(MONDAY + DAYS).toISOString()}`]);
  expect(await journeyByKey(world.pool, 'try')).toMatchObject({ state: 'live', live_version: 1, draft_revision: 2 });
  expect(await liveAtOf(world.pool, 1)).toBeNull();
  expect(await goLiveInTime(world.pool)).toBe(false);
});

it('several workers at once set it live once', async () => {
  await ask();
  await world.pool.query(`update live_at set at = $1`, [new Date(MONDAY - 1).toISOString()]);
  await Promise.all([1, 2, 3, 4].map(() => goLiveInTime(world.pool)));
  const { rows } = await world.pool.query<{ n: number }>('select count(*) as n from versions');
  expect(rows).toEqual([{ n: 1 }]);
});

it('is called off, replaced by a later wish, and overtaken by going live now', async () => {
  await ask();
  await callOffLiveAt(world.pool, 'try');
  expect(await liveAtOf(world.pool, 1)).toBeNull();
  await ask();
  await ask(MONDAY + 2 * DAYS);
  expect(await liveAtOf(world.pool, 1)).toMatchObject({ at: MONDAY + 2 * DAYS, by: 'Nuala' });
  await setLive(world.pool, 'try', 1, 'test');
  expect(await liveAtOf(world.pool, 1)).toBeNull();
});

it('is refused for another draft than the reviewed one, for an instant that has passed, and with blockers', async () => {
  expect(await ask(MONDAY + DAYS, 2)).toMatchObject({ ok: false, message: expect.stringContaining('was changed') });
  expect(await ask(MONDAY)).toMatchObject({ ok: false, message: expect.stringContaining('has passed') });
  await saveDraft(world.pool, 'try', 1, journey([]));
  expect(await ask(MONDAY + DAYS, 2)).toMatchObject({ ok: false, message: expect.stringContaining('cannot go live') });
});

it('what cannot go live then says why on Today, holds up no other, and is tried no more', async () => {
  await createJourney(world.pool, { ...draft('c'), key: 'next' }, 'test');
  await ask();
  expect(await askLiveAt(world.pool, 'next', 1, MONDAY + DAYS + HOUR, 'Nuala', 'stay')).toEqual({ ok: true });
  // Not even a document that cannot be read.
  await world.pool.query(`update live_at set document = '{"lane": 7}' where journey_id = 1`);
  await skipTo(world, MONDAY + DAYS + 2 * HOUR);
  expect(await liveAtOf(world.pool, 1)).toMatchObject({ at: null, problem: expect.any(String) });
  expect((await today(world.pool)).needs.filter((n) => n.kind === 'live-at').map((n) => n.title)).toEqual([
    'try did not go live'
  ]);
  expect((await sent()).map((s) => String(s).slice(0, 1))).toEqual(['c']);
  await callOffLiveAt(world.pool, 'try');
  expect((await today(world.pool)).needs.filter((n) => n.kind === 'live-at')).toEqual([]);
});

it('a journey that was closed meanwhile stays closed', async () => {
  await setLive(world.pool, 'try', 1, 'test');
  await saveDraft(world.pool, 'try', 1, draft('b'));
  await ask(MONDAY + DAYS, 2);
  expect(await brake(world.pool, 'try', 'close', 'test')).toBe(true);
  await skipTo(world, MONDAY + 2 * DAYS);
  expect(await journeyByKey(world.pool, 'try')).toMatchObject({
    state: expect.stringMatching(/^clos/),
    live_version: 1
  });
  expect(await liveAtOf(world.pool, 1)).toMatchObject({ problem: 'It was closed before that time.' });
});
