/** One person whose work fails stops nobody else: set aside, said, tried again. */
import { randomBytes } from 'node:crypto';
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { DAYS, journey, mail, MONDAY, put, reachable, wait } from '../make.ts';
import { runBatch } from '../../server/engine/batch.ts';
import { tryAgain, whoIsAside } from '../../server/engine/set-aside.ts';
import { settle } from '../../server/running/skip.ts';
import { askChange } from '../../server/people/inputs.ts';
import { today } from '../../server/results/today.ts';
import { addPeople, live, openWorld, skipTo, trailOf, type World } from './world.ts';

let world: World;
beforeEach(async () => {
  world = await openWorld();
});
afterEach(() => world.close());

const many = (n: number) =>
  Array.from({ length: n }, (_, i) =>
    reachable(`p${i + 1}`, (p) => void p.fields.set('phone', `+44770${1000000 + i}`))
  );
const ask = (person: number, data: object): Promise<unknown> =>
  world.pool.query(`insert into happenings (person_id, name, at, source, data) values ($1, 'set', $2, 'test', $3)`, [
    person,
    new Date(MONDAY),
    JSON.stringify(data)
  ]);
/** Puts someone on a version of the journey that nobody can follow: one that no schema would let in. */
async function ontoBrokenVersion(person: number): Promise<void> {
  const broken = journey([{ key: 'w', kind: 'wait', for: 'P9000Y' }]);
  await world.pool.query(
    `insert into versions (journey_id, number, document, live_from, set_live_by) values (1, 99, $1, now(), 'test')`,
    [JSON.stringify(broken)]
  );
  await world.pool.query(
    `insert into walks (person_id, id, journey_id, version, state, at_step, step, begun_by, entered_at)
     values ($1, 1, 1, 99, 'walking', 0, 'w', 'hand', $2)`,
    [person, new Date(MONDAY)]
  );
}

it('three of five hundred fail by three causes: 497 go on at once, the three are named and can be tried again', async () => {
  const ids = await addPeople(world.pool, many(500));
  await live(world, journey([mail('a'), wait('w'), mail('b')]));
  await askChange(world.pool, ids, { addTags: ['in'] }, 'test');
  const [first, second, third] = [ids[10]!, ids[250]!, ids[499]!];
  await ask(first, { addTags: [randomBytes(8000).toString('hex')] });
  await ask(second, { consent: { email: 'perhaps' } });
  await ontoBrokenVersion(third);

  const done = await runBatch(world.pool, world.engine.plans);
  expect(done.people).toBeGreaterThanOrEqual(500);
  const sent = await world.pool.query<{ person_id: number }>('select person_id from messages order by 1');
  expect(sent.rows.map((r) => r.person_id)).toEqual(ids.filter((id) => ![first, second, third].includes(id)));
  const aside = await world.pool.query<{ person_id: number; attempts: number; error: string; waits: boolean }>(
    `select person_id, attempts, error, next_try > clock_timestamp() as waits from set_aside order by 1`
  );
  expect(aside.rows).toMatchObject([
    { person_id: first, attempts: 1, waits: true, error: expect.stringMatching(/index row requires/) as string },
    {
      person_id: second,
      attempts: 1,
      waits: true,
      error: expect.stringMatching(/what was asked for them \(set\) cannot be read: consent\.email/) as string
    },
    { person_id: third, attempts: 1, waits: true, error: expect.stringMatching(/cannot be followed.*P9000Y/) as string }
  ]);

  // What waits for a later try neither runs again at once nor holds up the clock.
  expect(await runBatch(world.pool, world.engine.plans)).toEqual({ people: 0, lines: 0, messages: 0 });
  await skipTo(world, MONDAY + 2 * DAYS);
  expect((await world.pool.query(`select from messages where step = 'b'`)).rowCount).toBe(497);

  const needs = (await today(world.pool)).needs.filter((n) => n.kind === 'aside');
  expect(needs).toHaveLength(3);
  expect(needs[0]).toMatchObject({ title: '1 person is set aside', action: { name: 'aside' } });

  // Mended, they go on where they stood; the one that is not is tried later still.
  await world.pool.query(
    `update happenings set data = '{}' where person_id = any($1) and name = 'set' and source = 'test'
    and (data ? 'consent' or length(data::text) > 1000)`,
    [[first, second]]
  );
  expect(await tryAgain(world.pool, null)).toBe(3);
  await settle(world.engine, false);
  expect(await whoIsAside(world.pool)).toMatchObject([{ person: third, attempts: 2, people: 1 }]);
  await skipTo(world, MONDAY + 4 * DAYS);
  expect((await world.pool.query(`select from messages where step = 'b'`)).rowCount).toBe(499);
});

describe('names that mean something to the language the engine is written in', () => {
  it.each(['constructor', 'to-string', 'has-own-property', 'valueof'])(
    'a step called %s is one like any other',
    async (key) => {
      await addPeople(world.pool, [reachable('p')]);
      await live(world, journey([{ ...mail(key) }, { key: 'proto', kind: 'tag', add: ['__proto__', 'constructor'] }]));
      await askChange(world.pool, [1], { addTags: ['in'] }, 'test');
      await skipTo(world, MONDAY + DAYS);
      expect(world.postbox.mails).toHaveLength(1);
      expect(
        (await world.pool.query('select tag from person_tags order by 1')).rows.map((r: { tag: string }) => r.tag)
      ).toEqual(['__proto__', 'constructor', 'in']);
    }
  );

  it('a field called __proto__ is kept and cleared', async () => {
    await addPeople(world.pool, [reachable('p')]);
    await askChange(world.pool, [1], { fields: JSON.parse('{"__proto__":"x","constructor":"y"}') as never }, 'test');
    await settle(world.engine, false);
    const fields = async () =>
      (await world.pool.query<{ f: string }>('select fields::text as f from people')).rows[0]!.f;
    expect(JSON.parse(await fields())).toEqual(JSON.parse('{"__proto__":"x","constructor":"y"}'));
    await askChange(world.pool, [1], { fields: JSON.parse('{"__proto__":null}') as never }, 'test');
    await settle(world.engine, false);
    expect(await fields()).not.toContain('__proto__');
  });
});

describe('after an outage', () => {
  const late = journey([mail('a'), wait('w', 'PT6H'), mail('b'), put('done')], {
    goal: { when: { happening: 'tag_added', tag: 'bought' } }
  });

  it('what happened meanwhile comes first, what is late is done now, and time never runs backwards', async () => {
    const ids = await addPeople(world.pool, many(2));
    await live(world, late);
    await askChange(world.pool, ids, { addTags: ['in'] }, 'test');
    await settle(world.engine, false);
    // Nobody works until the evening; the first person buys at 15:30, half an hour behind their timer.
    await world.pool.query(`update workspace set practice_now = $1`, [new Date(MONDAY + 6.5 * 3_600_000)]);
    await askChange(world.pool, [ids[0]!], { addTags: ['bought'] }, 'shop');
    await world.pool.query(`update workspace set practice_now = $1`, [new Date(MONDAY + 12 * 3_600_000)]);
    await settle(world.engine, false);
    const lines = await trailOf(world.pool);
    const of = (id: number) =>
      lines
        .filter((l) => l['person'] === String(id))
        .map((l) => `${String(l['at']).slice(11, 16)} ${String(l['what'])}`);
    expect(of(ids[0]!)).toEqual(['09:00 entered', '09:00 sent', '09:00 waiting', '15:30 left']);
    expect(of(ids[1]!)).toEqual([
      '09:00 entered',
      '09:00 sent',
      '09:00 waiting',
      '21:00 sent',
      '21:00 tagged',
      '21:00 left'
    ]);
    // Written late with an earlier instant, a happening is worked off at the present all the same.
    await world.pool.query(
      `insert into happenings (person_id, name, at, source, data) values ($1, 'set', $2, 'late', '{"addTags":["late"]}')`,
      [ids[1], new Date(MONDAY + 7 * 3_600_000)]
    );
    await settle(world.engine, false);
    const { rows } = await world.pool.query<{ at: number }>(`select since as at from person_tags where tag = 'late'`);
    expect(rows[0]!.at).toBe(MONDAY + 12 * 3_600_000);
  });
});
