/** The machine's clock is set back an hour: what happens is still heard of, nothing is lost, doubled, or told before its time. */
import { afterEach, beforeEach, expect, it } from 'vitest';
import { readClock } from '../../server/workspace/clock.ts';
import { settle } from '../../server/running/skip.ts';
import { openPool, type Pool } from '../../server/db/pool.ts';
import { makeEngine, type Engine } from '../../server/running/context.ts';
import { clicked } from '../../server/intake/intake.ts';
import { signToken } from '../../server/intake/token.ts';
import { askChange } from '../../server/people/inputs.ts';
import { HOUR, journey, mail, put, reachable } from '../make.ts';
import { addPeople, live, openWorld, READER, trailOf, type World } from './world.ts';

let world: World;
let pool: Pool;
let engine: Engine;
const sleep = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms));

beforeEach(async () => {
  world = await openWorld();
  // A clock of the database's own, found before the built-in one, that can be set.
  await world.pool.query(`
    create schema adjusted;
    create table adjusted.clock as select interval '0' as by;
    create function adjusted.clock_timestamp() returns timestamptz language sql volatile as
      'select pg_catalog.clock_timestamp() + (select by from adjusted.clock)';
    update workspace set clock = 'real'`);
  const { rows } = await world.pool.query<{ name: string }>('select current_database() as name');
  await world.pool.query(`alter database ${rows[0]!.name} set search_path = adjusted, pg_catalog, public`);
  pool = openPool(world.url);
  engine = makeEngine(pool, world.engine.post, null, 0);
});
afterEach(async () => {
  for (const outbox of engine.outboxes) outbox.close();
  await pool.end();
  await world.close();
});

const setClock = (by: string): Promise<unknown> =>
  world.pool.query('update adjusted.clock set by = $1::interval', [by]);
const told = async (person: string): Promise<string[]> =>
  (await trailOf(pool)).flatMap((l) => (l['person'] === person ? [`${String(l['what'])} ${String(l['step'])}`] : []));

it('it stands still until it is there again, and everything goes on meanwhile', async () => {
  await addPeople(world.pool, [reachable('1'), reachable('2', (p) => p.fields.set('phone', '+447700900002'))]);
  await live(
    world,
    journey([
      mail('a'),
      {
        key: 'l',
        kind: 'listen',
        for: [{ label: 'clicked', when: { happening: 'clicked', of: 'a' }, lane: [put('keen')] }],
        limit: 'P1D',
        otherwise: { label: 'not', lane: [] }
      },
      mail('b')
    ])
  );
  await askChange(pool, [1], { addTags: ['in'] }, 'test');
  await settle(engine, false);
  const before = (await readClock(pool)).now;

  await setClock('-1 hour');
  const now = (await readClock(pool)).now;
  expect(now).toBeGreaterThanOrEqual(before);
  expect(now).toBeLessThan(before + HOUR / 2);
  // Seconds after it was handed over a fetch waits: this one was long before.
  await pool.query(`update messages set handed_at = handed_at - interval '3 hours'`);
  const token = signToken(world.secret, 'link', { person: 1, message: 1, number: 1 });
  expect(await clicked(pool, token, READER)).toBe('https://quillmoor.example/a');
  await askChange(pool, [2], { addTags: ['in'] }, 'test');
  await settle(engine, false);
  expect(await told('1')).toEqual([
    'entered null',
    'sent a',
    'waiting l',
    'took l',
    'tagged put-keen',
    'sent b',
    'left null'
  ]);
  expect(await told('2')).toEqual(['entered null', 'sent a', 'waiting l']);
  expect(world.postbox.mails.map((m) => [m.subject, m.repeats])).toEqual([
    ['About a', 0],
    ['About b', 0],
    ['About a', 0]
  ]);
  expect((await readClock(pool)).now).toBe(now);

  // Where it is there again, it runs.
  await setClock('5 seconds');
  await settle(engine, false);
  const later = (await readClock(pool)).now;
  expect(later).toBeGreaterThan(now);
  await sleep(20);
  expect((await readClock(pool)).now).toBeGreaterThan(later);
  const { rows } = await pool.query(
    `select from (select at, lag(at) over (partition by person_id order by id) as before from trail) as t where at < before`
  );
  expect(rows).toEqual([]);
});

it('that was years ahead for a moment is wrong, and nothing stands still for years', async () => {
  await setClock('2 years');
  await settle(engine, false);
  await setClock('0');
  await settle(engine, false);
  const now = (await readClock(pool)).now;
  expect(Math.abs(now - Date.now())).toBeLessThan(60_000);
  await sleep(20);
  expect((await readClock(pool)).now).toBeGreaterThan(now);
});

it('a step of less than a second is what clocks do, and nothing stands still for it', async () => {
  await settle(engine, false);
  await setClock('-500 milliseconds');
  const first = (await readClock(pool)).now;
  await sleep(30);
  expect((await readClock(pool)).now).toBeGreaterThan(first);
});
