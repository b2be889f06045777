import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { branch, byHand, enters, HOUR, mail, MONDAY, put, reachable, run, text, wait } from '../../tests/make.ts';
import type { Step } from '../steps/index.ts';
import { DAY, duration, rulerLength } from '../time/duration.ts';
import type { Hours } from '../time/hours.ts';
import { heldUp } from './held-up.ts';

const office: Hours = { days: ['mon', 'tue', 'wed', 'thu', 'fri'], from: '09:00', to: '18:00' };
const daytime: Hours = { from: '09:00', to: '20:00' };
const late = (lane: Step[], hours?: Hours): Record<string, number> =>
  Object.fromEntries([...heldUp({ lane, ...(hours ? { hours } : {}) })].map(([key, ms]) => [key, ms / HOUR]));

describe('how much later hours can make a step', () => {
  it.each<[string, Step[], Hours | undefined, Record<string, number>]>([
    ['no hours', [mail('a'), wait('w'), mail('b')], undefined, {}],
    ['a night', [mail('a'), wait('w'), put('x')], daytime, { a: 13, 'put-x': 13 }],
    ['a weekend', [mail('a')], office, { a: 63 }],
    [
      'held once, two days later at the same time of day',
      [mail('a'), wait('w', 'P2D'), mail('b')],
      daytime,
      { a: 13, b: 13 }
    ],
    ['nothing before the first message', [put('x'), mail('a')], daytime, { a: 13 }],
    ['a wait into the night holds anew', [mail('a'), wait('w', 'PT12H'), mail('b')], daytime, { a: 13, b: 25 }],
    [
      'a step of its own hours',
      [{ ...mail('a'), hours: 'any' } as Step, { ...text('b'), hours: office } as Step],
      daytime,
      { b: 63 }
    ],
    [
      'the latest of the lanes where they meet again',
      [branch('b', 'x', { tag: 't' }, [mail('a')], [wait('w')]), put('y')],
      office,
      // The longer lane sets the moment: held on the other one, they come a day less late.
      { a: 63, 'put-y': 39 }
    ],
    ['hours over midnight', [mail('a')], { from: '20:00', to: '04:00' }, { a: 16 }]
  ])('%s', (_, lane, hours, expected) => expect(late(lane, hours)).toEqual(expected));
});

it('nobody comes later than it says, and someone comes as late', () => {
  const lane = fc
    .array(fc.constantFrom('mail', 'PT7H', 'P1D', 'P2D', 'put'), { minLength: 1, maxLength: 6 })
    .map((list) =>
      list.map((what, i): Step =>
        what === 'mail' ? mail(`m${i}`) : what === 'put' ? put(`t${i}`) : wait(`w${i}`, what)
      )
    );
  fc.assert(
    fc.property(lane, fc.constantFrom(office, daytime), (steps, hours) => {
      const said = heldUp({ lane: steps, hours });
      const most = new Map<string, number>();
      // Every hour of a week; both kinds of hours open and close on the hour.
      for (let hour = 0; hour < 168; hour++) {
        const lines = run(byHand('try', steps, { hours }), [enters('try', hour * HOUR)], reachable(), 120);
        for (const line of lines) {
          if (line['what'] !== 'sent' && line['what'] !== 'tagged') continue;
          const key = String(line['step']);
          const before = steps.slice(
            0,
            steps.findIndex((s) => s.key === key)
          );
          const planned = before.reduce(
            (sum, s) => sum + (s.kind === 'wait' ? rulerLength(duration(s.for ?? '')) : 0),
            0
          );
          const ms = Date.parse(String(line['at'])) - MONDAY - hour * HOUR - planned;
          most.set(key, Math.max(most.get(key) ?? 0, ms));
        }
      }
      for (const [key, ms] of most) expect([key, ms]).toEqual([key, said.get(key) ?? 0]);
      expect([...said.values()].every((ms) => ms < 7 * DAY * steps.length)).toBe(true);
    }),
    { numRuns: 12 }
  );
});
