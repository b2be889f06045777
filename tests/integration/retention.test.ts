/** What is old goes, a few rows at a time; nothing that is still asked for does, and nothing breaks without it. */
import { afterEach, beforeEach, expect, it } from 'vitest';
import { branch, DAYS, journey, mail, MONDAY, put, reachable, wait } from '../make.ts';
import { now } from '../../server/workspace/clock.ts';
import { letGo } from '../../server/running/retention.ts';
import { clicked, opened } from '../../server/intake/intake.ts';
import { askChange, askEntry } from '../../server/people/inputs.ts';
import { personPage } from '../../server/people/people.ts';
import { sheetFigures } from '../../server/results/sheet-figures.ts';
import { today } from '../../server/results/today.ts';
import { addPeople, live, openWorld, react, skipTo, trailOf, type World, READER } from './world.ts';

let world: World;
beforeEach(async () => {
  world = await openWorld();
});
afterEach(() => world.close());

it('a walk under way keeps what it asks for, figures stay, once stays once, old links lead nowhere', async () => {
  const ask = branch('ask', 'opened', { did: 'opened', of: 'a' }, [put('keen')], []);
  const long = journey([mail('a'), wait('w', 'P200D'), ask], {
    leaveWhen: [{ when: { tag: 'out' }, reason: 'out' }]
  });
  const ids = await addPeople(world.pool, [reachable('p'), reachable('q', (p) => p.fields.delete('phone'))]);
  await live(world, long);
  await askChange(world.pool, ids, { addTags: ['in'] }, 'test');
  await skipTo(world, MONDAY);
  await react(world, ids[0]!, 'a', 'opened');
  await react(world, ids[1]!, 'a', 'opened');
  // The second leaves soon; the first waits for months.
  await askChange(world.pool, [ids[1]!], { addTags: ['out'] }, 'test');
  await skipTo(world, MONDAY + 100 * DAYS);
  const figures = await sheetFigures(world.pool, 1, null);
  const links = world.postbox.mails.map((m) => /\/l\/([\w-]+)/.exec(m.text)![1]!);

  while (await letGo(world.pool, (await now(world.pool)) - 60 * DAYS));
  const left = async (table: string) =>
    (
      await world.pool.query<{ person_id: number }>(
        `select distinct person_id from ${table} where walk_id = 1 order by 1`
      )
    ).rows.map((r) => r.person_id);
  expect(await left('messages')).toEqual([ids[0]]);
  expect(await left('trail')).toEqual([ids[0]]);
  expect((await world.pool.query('select person_id from walks')).rows).toEqual([{ person_id: ids[0] }]);
  expect(await sheetFigures(world.pool, 1, null)).toEqual(figures);

  // Pages and tracking of what is gone.
  expect((await personPage(world.pool, ids[1]!))?.walks).toEqual([]);
  expect((await today(world.pool)).walking).toBe(1);
  expect(
    [await clicked(world.pool, links[0]!, READER), await clicked(world.pool, links[1]!, READER)].filter(Boolean)
  ).toEqual(['https://quillmoor.example/a']);
  expect(await opened(world.pool, 'nonsense', READER)).toBe(false);

  // The wait ends: what was done at its beginning still decides; and nobody enters a second time.
  await askEntry(world.pool, [ids[1]!], 'try', 'test');
  await skipTo(world, MONDAY + 201 * DAYS);
  const lines = await trailOf(world.pool);
  expect(lines.filter((l) => l['what'] === 'took')).toMatchObject([{ person: String(ids[0]), lane: 'opened' }]);
  expect(lines.filter((l) => l['what'] === 'refused')).toMatchObject([{ person: String(ids[1]), reason: 'once' }]);
  expect((await world.pool.query('select from set_aside')).rowCount).toBe(0);
});
