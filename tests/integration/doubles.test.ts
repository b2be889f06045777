/** Who may be in twice: found by going through everybody in portions, marked as different, gone once they are one. */
import { afterEach, beforeEach, expect, it } from 'vitest';
import { SettingsBook } from '../../server/workspace/settings.ts';
import { compare } from '../../server/people/compare.ts';
import {
  areDifferent,
  askSearch,
  different,
  groupsOf,
  latestSearch,
  maybeSame,
  notDifferent,
  stopSearch,
  workDoubles
} from '../../server/people/doubles.ts';
import { merge } from '../../server/people/merge.ts';
import { erase } from '../../server/protection/erase.ts';
import { openWorld, type World } from './world.ts';

let world: World;
beforeEach(async () => {
  world = await openWorld();
});
afterEach(() => world.close());

const put = (rows: string): Promise<unknown> =>
  world.pool.query(
    `insert into people (email, phone, first_name, last_name, fields, created_at, updated_at)
     select email, phone, first, last, coalesce(fields::jsonb, '{}'), now(), now() from (values ${rows}) as t (email, phone, first, last, fields)`
  );
async function search(portion = 3): Promise<void> {
  await askSearch(world.pool, 'town', 'Ada');
  for (let i = 0; i < 500 && (await workDoubles(world.pool, portion)); i++);
}
const found = async (): Promise<[string, number[]][]> =>
  (await groupsOf(world.pool, { why: null, after: null, field: 'town' })).groups.map((g) => [
    g.why,
    g.people.map((p) => p.id)
  ]);

it('finds addresses alike, numbers alike and names of one town, whatever the portions', async () => {
  await put(`('a.bee@x.example', '+353861234567', 'Ada', 'Bee', '{"town": "Port Elm"}'),
    ('ABee+news@X.example', null, ' ada', 'BEE ', '{"town": "port elm"}'),
    ('c@x.example', '0861234567', 'Ada', 'Bee', '{"town": "Far Hill"}'),
    ('d@x.example', '12345', null, 'Bee', '{"town": "Port Elm"}'),
    ('a.bee@y.example', '12 345', 'Ada', 'Bee', '{}')`);
  const expected = [
    ['email', [1, 2]],
    ['name', [1, 2]],
    ['phone', [1, 3]]
  ];
  for (const portion of [1, 3, 100]) {
    await search(portion);
    expect(await found(), `portions of ${portion}`).toEqual(expected);
  }
  expect(await latestSearch(world.pool)).toMatchObject({ state: 'done', looked: 5, total: 5, by: 'Ada' });
  expect(await maybeSame(world.pool, 1)).toEqual([2, 3]);
  expect(await maybeSame(world.pool, 4)).toEqual([]);
});

it('who is said to be different is not found again; taken back, they are', async () => {
  await put(
    `('a@x.example', null, null, null, null), ('a+1@x.example', null, null, null, null), ('a+2@x.example', null, null, null, null)`
  );
  await search();
  await different(world.pool, [1, 2], 'Ada');
  expect(await found()).toEqual([['email', [1, 2, 3]]]);
  expect(await maybeSame(world.pool, 1)).toEqual([3]);
  await different(world.pool, [1, 3, 2], 'Ada');
  expect(await found()).toEqual([]);
  await search();
  expect(await found()).toEqual([]);
  expect(await areDifferent(world.pool, 3, 1)).toMatchObject({ by: 'Ada' });
  await notDifferent(world.pool, 3, 1);
  await search();
  expect(await found()).toEqual([['email', [1, 2, 3]]]);
});

it('who was made one or erased stands in no group any more', async () => {
  await put(`('a@x.example', null, null, null, null), ('a+1@x.example', null, null, null, null), ('a+2@x.example', null, null, null, null),
    ('b@x.example', null, null, null, null), ('b+1@x.example', null, null, null, null)`);
  await search();
  const seen = (await compare(world.pool, 1, 2))!.seen;
  await merge(world.pool, new SettingsBook(), { one: 1, other: 2, choose: {}, seen }, 'Ada');
  await erase(world.pool, 4, 'Ada');
  expect(await found()).toEqual([['email', [1, 3]]]);
});

it('a number that thousands share is one group, of which some are shown', async () => {
  await world.pool.query(
    `insert into people (email, phone, created_at, updated_at)
     select 'p' || i || '@x.example', i || '000861234567', now(), now() from generate_series(1, 300) i`
  );
  await search(50);
  const { groups, counts } = await groupsOf(world.pool, { why: 'phone', after: null, field: 'town' });
  expect(groups.map((g) => [g.n, g.people.length])).toEqual([[300, 20]]);
  expect(counts).toEqual({ email: 0, phone: 1, name: 0 });
  expect(await maybeSame(world.pool, 1)).toEqual([]);
});

it('stops and begins anew; a second who asks meanwhile changes nothing', async () => {
  await put(`('a@x.example', null, null, null, null), ('a+1@x.example', null, null, null, null)`);
  await askSearch(world.pool, 'town', 'Ada');
  await workDoubles(world.pool, 1);
  await askSearch(world.pool, 'city', 'Ben');
  expect(await latestSearch(world.pool)).toMatchObject({ state: 'reading', field: 'town', looked: 1 });
  await stopSearch(world.pool);
  expect(await workDoubles(world.pool)).toBe(false);
  await search(1);
  expect(await found()).toEqual([['email', [1, 2]]]);
});
