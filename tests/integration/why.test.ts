/** Why: decisions taken apart with the values of then; points one by one; what comes next; a wait skipped by hand. */
import { afterEach, beforeEach, expect, it } from 'vitest';
import { setField } from '../../server/people/by-hand.ts';
import { comingFor } from '../../server/people/coming.ts';
import { askChange, askEntry, askHurry, askLeave } from '../../server/people/inputs.ts';
import { engagedOf } from '../../server/people/points.ts';
import { whyLine, whyNotIn, type Why } from '../../server/people/why.ts';
import { saveSettings } from '../../server/settings/save.ts';
import type { Explained } from '../../core/condition/explain.ts';
import { branch, DAYS, journey, mail, MONDAY, put, reachable, text, wait } from '../make.ts';
import { addPeople, live, openWorld, react, skipTo, trailOf, type World } from './world.ts';

let world: World;
beforeEach(async () => {
  world = await openWorld();
});
afterEach(() => world.close());

/** Why a line of the trail of somebody says what it says: the latest of its kind. */
async function whyOf(person: number, what: string, step: string | null = null): Promise<Why> {
  const { rows } = await world.pool.query<{ id: number }>(
    'select id from trail where person_id = $1 and what = $2 and ($3::text is null or step = $3) order by id desc limit 1',
    [person, what, step]
  );
  const why = await whyLine(world.pool, person, rows[0]!.id);
  return why!;
}
/** Leaves as "words: yes, had". */
function leaves({ words, holds, had, parts }: Explained): string[] {
  if (parts) return parts.flatMap(leaves);
  const value = had ? `, ${had.kind === 'times' ? had.value : String(had.value)}` : '';
  return [`${words}: ${holds ? 'yes' : 'no'}${value}`];
}
const told = (why: Why): unknown[] => [why.because, ...why.rules.map((r) => [r.label, r.decided, ...leaves(r.asked)])];

it('a lane is told with the values of then, whatever has changed since', async () => {
  await saveSettings(
    world.pool,
    {
      format: 'ambulo.settings/1',
      scores: [{ name: 'interest', rules: [{ when: { happening: 'opened' }, add: 5 }] }],
      ladders: [
        { name: 'warmth', counts: [{ happening: 'opened' }], rungs: [{ name: 'warm', upTo: 'P3D' }], after: 'cold' }
      ]
    },
    'Ada'
  );
  await addPeople(world.pool, [reachable('a', (p) => p.fields.set('town', 'Port Elm'))]);
  await live(
    world,
    journey([
      mail('m1'),
      wait('w'),
      branch(
        'b',
        'far',
        {
          all: [
            { field: 'town', is: 'Far Hill' },
            { tag: 'keen' },
            { score: 'interest', gte: 5 },
            { rung: 'warm' },
            { did: 'opened', of: 'm1' }
          ]
        },
        [],
        []
      )
    ])
  );
  await askChange(world.pool, [1], { addTags: ['in', 'keen'] }, 'test');
  await skipTo(world, MONDAY + 1000);
  await react(world, 1, 'm1', 'opened');
  await skipTo(world, MONDAY + 2 * DAYS);
  // All of it is otherwise now.
  await setField(world.pool, 1, 'town', 'Far Hill', 'Ada');
  await askChange(world.pool, [1], { removeTags: ['keen'] }, 'test');
  await react(world, 1, 'm1', 'opened');
  await skipTo(world, MONDAY + 9 * DAYS);
  const why = await whyOf(1, 'took');
  expect(told(why)).toEqual([
    'The rule did not hold: they took “others”.',
    [
      'far',
      false,
      'whose town is Far Hill: no, null',
      'have the tag keen: yes',
      'whose points of interest is at least 5: yes, 5',
      'are warm: yes, warm',
      'opened About m1: yes, 1'
    ]
  ]);
  // What the town was before it was changed was never told.
  expect(why.unknown).toEqual(['town']);
  expect(await engagedOf(world.pool, 1)).toMatchObject({
    scores: [
      {
        name: 'interest',
        points: 10,
        lines: [
          { what: 'opened', by: 5, points: 10 },
          { by: 5, points: 5 }
        ]
      }
    ],
    rungs: [{ ladder: 'warmth', rung: 'cold', until: null }]
  });
});

it('a message that was not sent, a refusal and a leave rule say what they went by', async () => {
  await addPeople(world.pool, [
    reachable('a', (p) => {
      p.consent = { email: 'given' };
    })
  ]);
  await live(
    world,
    journey([text('t'), wait('w', 'P5D'), mail('m')], {
      entry: { on: [{ happening: 'tag_added', tag: 'in' }], where: { not: { tag: 'out' } } },
      leaveWhen: [{ when: { tag: 'gone' }, reason: 'went' }]
    })
  );
  await askChange(world.pool, [1], { addTags: ['in'] }, 'test');
  await skipTo(world, MONDAY + 1000);
  expect(told(await whyOf(1, 'skipped'))).toEqual(['Their consent for texts was: never asked.']);
  expect(told(await whyOf(1, 'entered'))).toEqual([
    'They came in by tag added.',
    ['who of them', true, 'do not have the tag out: yes']
  ]);
  await askEntry(world.pool, [1], 'try', 'Ada');
  await skipTo(world, MONDAY + 2000);
  expect(told(await whyOf(1, 'refused'))).toEqual(['They have been in it, and who has been does not come in again.']);
  await askChange(world.pool, [1], { addTags: ['gone'] }, 'test');
  await skipTo(world, MONDAY + 3000);
  expect(told(await whyOf(1, 'left'))).toEqual([
    'The rule “went” says who leaves.',
    ['have the tag gone', true, 'have the tag gone: yes']
  ]);
  expect(await whyLine(world.pool, 1, 99_999)).toBeNull();
  expect(await whyLine(world.pool, 9, 1)).toBeNull();
});

it('why not in a journey: what lets people in, and who of them', async () => {
  await addPeople(world.pool, [reachable('a', (p) => p.tags.add('out'))]);
  const entry = { on: [{ happening: 'tag_added' as const, tag: 'in' }], where: { not: { tag: 'out' } } };
  await live(world, journey([wait('w', 'P5D')], { entry }));
  const ask = async (): Promise<unknown[]> => told((await whyNotIn(world.pool, 1, 'try'))!);
  expect(await ask()).toEqual([
    'The journey takes only some of them, and they were not among these.',
    ['lets people in', false, 'get the tag in: no, 0'],
    ['who of them', true, 'do not have the tag out: no']
  ]);
  await askChange(world.pool, [1], { removeTags: ['out'] }, 'test');
  await skipTo(world, MONDAY + 1000);
  expect((await ask())[0]).toMatch(/would be let in, but nothing/);
  await askChange(world.pool, [1], { addTags: ['in'] }, 'test');
  await skipTo(world, MONDAY + 2000);
  expect(await ask()).toEqual(['They are in it.']);
  expect(await whyNotIn(world.pool, 1, 'none')).toBeNull();
  expect(await whyNotIn(world.pool, 9, 'try')).toBeNull();
});

it('a wait is skipped once, where they still stand on it; what comes next is said', async () => {
  await addPeople(world.pool, [reachable('a')]);
  await live(world, journey([wait('w1', 'P9D'), put('one'), wait('w2', 'P9D'), put('two')]));
  await askChange(world.pool, [1], { addTags: ['in'] }, 'test');
  await skipTo(world, MONDAY + 1000);
  expect(await comingFor(world.pool, 1)).toEqual({ 1: { here: 'Wait', next: 'one' } });
  // Pressed twice: the second wait is not skipped with it.
  await askHurry(world.pool, 1, 1, 'w1', 'Ada');
  await askHurry(world.pool, 1, 1, 'w1', 'Ada');
  await skipTo(world, MONDAY + 2000);
  const lines = (await trailOf(world.pool)).map((l) => [l['what'], l['step']]);
  expect(lines).toEqual([
    ['entered', null],
    ['waiting', 'w1'],
    ['hurried', 'w1'],
    ['tagged', 'put-one'],
    ['waiting', 'w2']
  ]);
  await askHurry(world.pool, 1, 7, 'w2', 'Ada');
  await askLeave(world.pool, 1, 'try', 'Ada');
  await skipTo(world, MONDAY + 3000);
  expect((await trailOf(world.pool)).at(-1)).toMatchObject({ what: 'left', reason: 'ended' });
  expect(await comingFor(world.pool, 1)).toEqual({});
});
