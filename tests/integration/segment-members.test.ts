/** Saved segments over time: who joined and left, how many each day, two of them beside each other. */
import { afterEach, beforeEach, expect, it } from 'vitest';
import type { PersonState } from '../../core/person/state.ts';
import { MONDAY, reachable, settings } from '../make.ts';
import { askChange } from '../../server/people/inputs.ts';
import { compare, daysOf, membersOf } from '../../server/segments/members.ts';
import { saveSettings } from '../../server/settings/save.ts';
import { addPeople, openWorld, skipTo, type World } from './world.ts';

let world: World;
beforeEach(async () => {
  world = await openWorld();
});
afterEach(() => world.close());
const DAY = 86_400_000;

it('members with the days they joined and left, numbers day by day, two compared', async () => {
  const someone = (id: string, change: (p: PersonState) => void) =>
    reachable(id, (p) => (p.fields.delete('phone'), change(p)));
  await addPeople(world.pool, [
    someone('a', (p) => p.tags.add('x')),
    someone('b', (p) => (p.tags.add('x'), p.tags.add('y'))),
    someone('c', (p) => p.tags.add('y')),
    someone('d', () => undefined)
  ]);
  await saveSettings(
    world.pool,
    {
      ...settings({}),
      segments: [
        { name: 'xs', when: { tag: 'x' } },
        { name: 'ys', when: { tag: 'y' } }
      ]
    },
    'test'
  );
  await skipTo(world, MONDAY);
  await askChange(world.pool, [4], { addTags: ['x'] }, 'test');
  await skipTo(world, MONDAY + 2 * DAY);
  await askChange(world.pool, [1], { removeTags: ['x'] }, 'test');
  await skipTo(world, MONDAY + 3 * DAY);
  const { inside, gone } = await membersOf(world.pool, 'xs');
  expect(inside.map((m) => [m.id, m.left])).toEqual([
    [4, null],
    [2, null]
  ]);
  expect(gone.map((m) => m.id)).toEqual([1]);
  expect(gone[0]!.left! - gone[0]!.since).toBe(2 * DAY);
  const days = (await daysOf(world.pool, 'xs')).slice(-5);
  expect(days.map((d) => d.members)).toEqual([0, 3, 3, 2, 2]);
  expect(await compare(world.pool, 'xs', 'ys')).toEqual({ both: 1, onlyFirst: 1, onlySecond: 1 });
  // Who comes again and leaves again has the latest stay on record.
  await askChange(world.pool, [1], { addTags: ['x'] }, 'test');
  await skipTo(world, MONDAY + 4 * DAY);
  expect((await membersOf(world.pool, 'xs')).inside.map((m) => m.id)).toEqual([1, 4, 2]);
  await askChange(world.pool, [1], { removeTags: ['x'] }, 'test');
  await skipTo(world, MONDAY + 5 * DAY);
  expect((await membersOf(world.pool, 'xs')).gone).toHaveLength(1);
});
