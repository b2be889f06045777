/** Two states joined as one person's: numbers, places, orders, points. */
import { describe, expect, it } from 'vitest';
import { compileSettings } from '../settings/workspace.ts';
import { joinStates, type Renumbered } from './joined.ts';
import { newPerson, type Order } from './state.ts';

const workspace = compileSettings(
  {
    format: 'ambulo.settings/1',
    scores: [
      {
        name: 'interest',
        floor: 0,
        ceiling: 50,
        rules: [{ when: { happening: 'clicked' }, add: 5 }],
        decay: { every: 'P30D', by: 5 }
      }
    ]
  },
  'UTC'
);
const same: Renumbered = { walks: 0, place: (record) => record };
const shifted: Renumbered = { walks: 3, place: (record) => record + 10 };
const order = (id: string, at: number, record: number): Order => ({
  id,
  at,
  record,
  left: 1,
  gone: false,
  lines: [],
  items: []
});

describe('joining two states', () => {
  it('renumbers what the one who goes has, and gives the next walk and record the numbers behind both', () => {
    const [a, b] = [newPerson('1'), newPerson('2')];
    a.nextWalk = 4;
    b.nextWalk = 3;
    b.tasks = [{ walk: 2, journey: 'j', step: 's', order: 5 }];
    a.tasks = [{ walk: 1, journey: 'j', step: 's', order: 20 }];
    b.missed = new Map([['j', [1, 2]]]);
    a.missed = new Map([['j', [3]]]);
    a.entered.add('j');
    b.entered.add('j').add('k');
    const { state } = joinStates(workspace, [a, same], [b, shifted], 0, 31);
    expect(state).toMatchObject({ nextWalk: 6, order: 31, entered: ['j', 'k'] });
    expect(state.tasks).toEqual([
      { walk: 5, journey: 'j', step: 's', order: 15 },
      { walk: 1, journey: 'j', step: 's', order: 20 }
    ]);
    expect(state.missed).toEqual([['j', [3, 11, 12]]]);
  });

  it('keeps orders of both in their order; one that was told of both is one', () => {
    const [a, b] = [newPerson('1'), newPerson('2')];
    a.orders = [order('x', 10, 1), order('y', 30, 2)];
    b.orders = [order('x', 10, 1), order('z', 20, 2), order('', 40, 3), order('', 40, 4)];
    const { state } = joinStates(workspace, [a, same], [b, shifted], 0, 1);
    expect(state.orders?.map((o) => [o.id, o.record])).toEqual([
      ['x', 1],
      ['z', 12],
      ['y', 2],
      ['', 13],
      ['', 14]
    ]);
  });

  it('adds points up as they stand, within floor and ceiling; the later deed counts for decay and rungs', () => {
    const DAY = 86_400_000;
    const [a, b] = [newPerson('1'), newPerson('2')];
    a.scores.set('interest', 30);
    b.scores.set('interest', 30).set('other', 2);
    a.scoreHistory = new Map([['interest', { risen: 0, decays: 0, added: { 0: [{ at: 1, points: 5 }] } }]]);
    b.scoreHistory = new Map([['interest', { risen: 40 * DAY, decays: 0, added: { 0: [{ at: 0, points: 5 }] } }]]);
    a.rungs = new Map([['l', { last: 5, rung: 'cool' }]]);
    b.rungs = new Map([['l', { last: 9, rung: 'warm' }]]);
    const { scores, state } = joinStates(workspace, [a, same], [b, same], 45 * DAY, 1);
    // 30 less one decay, and 30.
    expect([...scores]).toEqual([
      ['interest', 50],
      ['other', 2]
    ]);
    expect(state.scoreHistory).toEqual([
      [
        'interest',
        {
          risen: 40 * DAY,
          decays: 0,
          added: {
            0: [
              { at: 0, points: 5 },
              { at: 1, points: 5 }
            ]
          }
        }
      ]
    ]);
    expect(state.rungs).toEqual([['l', { last: 9, rung: 'warm' }]]);
  });

  it('of people of whom nothing is known gives nothing', () => {
    const { state, scores } = joinStates(workspace, [newPerson('1'), same], [newPerson('2'), same], 0, 1);
    expect(scores.size).toBe(0);
    expect(state).toMatchObject({ nextWalk: 1, entered: [], orders: undefined, rungs: undefined, missed: undefined });
  });
});
