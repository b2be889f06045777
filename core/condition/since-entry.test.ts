/** What happened since a walk began: what is recorded behind its `entered`, and nothing that began it. */
import { describe, expect, it } from 'vitest';
import {
  branch,
  byHand,
  enters,
  happens,
  HOUR,
  journey,
  mail,
  put,
  MONDAY,
  reachable,
  run,
  short,
  story,
  tagged,
  wait,
  type Said
} from '../../tests/make.ts';
import { parseJourney } from '../journey/parse.ts';
import { settingsProblems } from '../journey/references.ts';
import type { Journey } from '../journey/schema.ts';
import { compile } from '../journey/compile.ts';
import { newWalk } from '../person/entering.ts';
import { compileSettings } from '../settings/workspace.ts';
import { compileCondition } from './evaluate.ts';
import type { Condition } from './schema.ts';

const buys = (after: number, order: string, amount: number): Said =>
  happens('purchased', after, { order, amount, items: [{ sku: 'seat', price: amount, quantity: 1 }] });
const asked = (when: Condition, rest: Partial<Journey> = {}): Journey =>
  journey([wait('w'), branch('b', 'yes', when, [], [])], rest);
const took = (lines: ReturnType<typeof run>): string | undefined => short(lines).find((l) => l.startsWith('took b'));
const bought: Journey['entry'] = { on: [{ happening: 'purchased' }], again: 'each' };

describe('since entry', () => {
  it.each<[string, Journey, Said[], string]>([
    [
      'what came before',
      asked({ did: 'page_seen', since: 'entry' }),
      [happens('page_seen', -HOUR, { url: '/x' }), tagged('in')],
      'others'
    ],
    [
      'what came behind',
      asked({ did: 'page_seen', since: 'entry' }),
      [tagged('in'), happens('page_seen', HOUR, { url: '/x' })],
      'yes'
    ],
    [
      'behind it at the same instant',
      asked({ did: 'page_seen', since: 'entry' }),
      [tagged('in'), happens('page_seen', 0, { url: '/x' })],
      'yes'
    ],
    ['what began it', asked({ did: 'purchased', since: 'entry' }, { entry: bought }), [buys(0, 'o1', 5)], 'others'],
    [
      'an order that began it',
      asked({ orders: { gte: 1 }, since: 'entry' }, { entry: bought }),
      [buys(0, 'o1', 5)],
      'others'
    ],
    [
      'only what was spent behind it',
      asked({ spent: { is: 7 }, since: 'entry' }, { entry: { ...bought, again: 'once' } }),
      [buys(0, 'o1', 5), buys(HOUR, 'o2', 7)],
      'yes'
    ],
    [
      'a refund of what came before takes nothing off',
      asked({ spent: { is: 7 }, since: 'entry' }, { entry: { ...bought, again: 'once' } }),
      [buys(0, 'o1', 5), buys(HOUR, 'o2', 7), happens('refunded', 2 * HOUR, { order: 'o1' })],
      'yes'
    ],
    [
      'how often',
      asked({ did: 'page_seen', since: 'entry', times: { gte: 2 } }),
      [happens('page_seen', -HOUR, { url: '/x' }), tagged('in'), happens('page_seen', HOUR, { url: '/x' })],
      'others'
    ],
    [
      'and not too long ago',
      asked({ did: 'page_seen', since: 'entry', last: 'PT2H' }),
      [tagged('in'), happens('page_seen', HOUR, { url: '/x' })],
      'others'
    ],
    [
      'nothing of it, turned round',
      asked({ not: { did: 'page_seen', since: 'entry' } }),
      [happens('page_seen', -HOUR, { url: '/x' }), tagged('in')],
      'yes'
    ]
  ])('%s', (_, made, said, lane) => expect(took(run(made, said))).toBe(`took b ${lane}`));

  it('bands of what was spent', () => {
    const lane = (label: string): { label: string; lane: [] } => ({ label, lane: [] });
    const made = journey(
      [
        wait('w'),
        {
          key: 'b',
          kind: 'branch',
          by: 'bands',
          of: { spent: true, since: 'entry' },
          cuts: [6],
          lanes: [lane('low'), lane('high')]
        }
      ],
      { entry: { ...bought, again: 'once' } }
    );
    expect(took(run(made, [buys(0, 'o1', 50), buys(HOUR, 'o2', 5)]))).toBe('took b low');
    expect(took(run(made, [buys(0, 'o1', 50), buys(HOUR, 'o2', 6)]))).toBe('took b high');
  });

  it('while it is decided who enters, nothing has happened since', () => {
    const goal = { when: { not: { did: 'page_seen', since: 'entry' } } } as const;
    const made = byHand('try', [mail('a')], { goal });
    expect(short(run(made, [happens('page_seen', 0, { url: '/x' }), enters('try', HOUR)]))).toEqual(['refused goal']);
    const turned = byHand('try', [mail('a')], { goal: { when: { did: 'page_seen', since: 'entry' } } });
    expect(short(run(turned, [happens('page_seen', 0, { url: '/x' }), enters('try', HOUR)]))[0]).toBe('entered');
  });

  it('the same order means the one that would begin the walk', () => {
    const goal = { when: { did: 'refunded', same: true } } as const;
    const made = journey([wait('w', 'P9D')], { entry: bought, goal });
    const lines = run(made, [
      buys(0, 'o1', 5),
      happens('refunded', HOUR, { order: 'o1' }),
      buys(2 * HOUR, 'o2', 5),
      buys(3 * HOUR, 'o1', 5)
    ]);
    // The order that comes a second time has been given back: nobody enters for it.
    expect(story(lines).filter((l) => /entered|goal/.test(l))).toEqual(['+0 entered', '+1h left goal', '+2h entered']);
  });

  it('each of several walks begins for itself', () => {
    const made = journey([wait('w'), branch('b', 'yes', { orders: { gte: 1 }, since: 'entry' }, [], [])], {
      entry: bought
    });
    const lines = run(made, [buys(0, 'o1', 5), buys(HOUR, 'o2', 5)]);
    expect(short(lines).filter((l) => l.startsWith('took b'))).toEqual(['took b yes', 'took b others']);
  });

  it.each<[string, Journey, string]>([
    [
      'in the rule for entering',
      journey([put('x')], { entry: { where: { not: { any: [{ orders: { gte: 1 }, since: 'entry' }] } } } }),
      'entry.where.not.any[0].since'
    ],
    ['beside a message', asked({ did: 'opened', of: 'a', since: 'entry' }), 'lane[1].lanes[0].when.since']
  ])('%s it is refused', (_, made, path) => {
    expect(parseJourney(JSON.stringify(made)).problems.map((p) => p.path)).toContain(path);
  });

  it('in a segment it is refused', () => {
    const segments = [{ name: 'keen', when: { did: 'page_seen', since: 'entry' } as const }];
    expect(settingsProblems({ format: 'ambulo.settings/1', segments }, new Map()).map((p) => p.message)).toEqual([
      'found "since", expected none: settings know no journey'
    ]);
  });

  it.each([
    [MONDAY, false],
    [MONDAY + 1, true]
  ])('a walk that came over from a version which did not ask goes by the instant it began at: %i', (seen, holds) => {
    const plan = compile(byHand('try', []));
    const person = reachable();
    const walk = newWalk(plan, person, MONDAY, 'hand', undefined, 'UTC');
    person.record.push({ name: 'page_seen', at: seen, record: 3 });
    const test = compileCondition({ did: 'page_seen', since: 'entry' }, 'try');
    const workspace = compileSettings(null);
    expect(walk.since).toBeUndefined();
    expect(test({ person, walk, at: MONDAY + HOUR, zone: 'UTC', workspace })).toBe(holds);
  });
});
