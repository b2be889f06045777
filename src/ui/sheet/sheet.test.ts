import { describe, expect, it } from 'vitest';
import { layoutSheet } from '../../../core/sheet/layout.ts';
import type { SheetFigures } from '../../../server/results/sheet-figures.ts';
import { branch, mail, put, text, wait } from '../../../tests/make.ts';
import type { Selection } from './editor.svelte.ts';
import { cardFigure, laneCount, lineWeight } from './figures.ts';
import { nextStop, same, stopsOf } from './stops.ts';

const lane = [
  mail('a'),
  wait('w', 'P2D'),
  branch('b', 'opened', { did: 'opened', of: 'a' }, [put('keen')], [text('nudge')]),
  mail('z')
];
const layout = layoutSheet(lane);
const card = (key: string): Selection => ({ at: 'card', key });
const YES = ['lane', 2, 'lanes', 0, 'lane'];
const gap = (index: number, path: (string | number)[] = ['lane']): Selection => ({ at: 'gap', lane: path, index });

describe('moving about the sheet', () => {
  const stops = stopsOf(layout);
  it.each<[string, Selection, Parameters<typeof nextStop>[2], Selection | null]>([
    ['from the journey to its first gap', { at: 'journey' }, 'ArrowRight', gap(0)],
    ['from a gap to the card behind it', gap(0), 'ArrowRight', card('a')],
    ['from a card to the gap behind its wait', card('a'), 'ArrowRight', gap(2)],
    ['back', gap(2), 'ArrowLeft', card('a')],
    ['no further than the end', gap(4), 'ArrowRight', null],
    ['no further than the beginning', { at: 'journey' }, 'ArrowLeft', null],
    ['down to the lane below, to the card close by', card('b'), 'ArrowDown', card('put-keen')],
    ['down once more', card('put-keen'), 'ArrowDown', card('nudge')],
    ['and up again', card('nudge'), 'ArrowUp', card('put-keen')],
    ['no lane below the last', card('nudge'), 'ArrowDown', null],
    ['to the first place of the lane', card('put-keen'), 'Home', gap(0, YES)],
    ['to the last', card('put-keen'), 'End', gap(1, YES)]
  ])('%s', (_, from, key, to) => expect(nextStop(stops, from, key)).toEqual(to));

  it('reaches every card and every gap by arrows alone', () => {
    const seen: Selection[] = [];
    const waiting: Selection[] = [{ at: 'journey' }];
    for (let here = waiting.pop(); here; here = waiting.pop()) {
      if (seen.some((s) => same(s, here!))) continue;
      seen.push(here);
      for (const key of ['ArrowLeft', 'ArrowRight', 'ArrowUp', 'ArrowDown'] as const) {
        const to = nextStop(stops, here, key);
        if (to) waiting.push(to);
      }
    }
    expect(seen).toHaveLength(stops.length);
  });

  it('tells places apart', () => {
    expect(same(gap(1), gap(1))).toBe(true);
    expect(same(gap(1), gap(1, YES))).toBe(false);
    expect(same(card('a'), card('b'))).toBe(false);
    expect(same(card('a'), { at: 'journey' })).toBe(false);
  });
});

describe('figures on the sheet', () => {
  const none = {
    done: 0,
    skipped: 0,
    opened: 0,
    clicked: 0,
    replied: 0,
    failed: 0,
    retrying: 0,
    standing: 0,
    held: 0,
    lanes: {}
  };
  const figures: SheetFigures = {
    entered: 1000,
    walking: 10,
    finished: 900,
    reachedGoal: 5,
    left: [],
    steps: {
      a: { ...none, done: 1000, opened: 430 },
      b: { ...none, lanes: { opened: 400, others: 600 } },
      'put-keen': { ...none, done: 400 },
      nudge: { ...none, done: 590, replied: 12 },
      z: { ...none, done: 3, retrying: 2 }
    }
  };
  it.each([
    [lane[0]!, '1\u202f000 sent, 43 % open'],
    [lane[2]!, '1\u202f000 decided'],
    [put('keen'), '400 tagged'],
    [text('nudge'), '590 sent, 12 replied'],
    [mail('z'), '2 tried again'],
    [mail('never'), '0 sent'],
    [text('never'), '0 sent'],
    [put('never'), '0 tagged']
  ])('of %j: %s', (step, expected) => expect(cardFigure(figures, step)).toBe(expected));

  it('count people on each lane, and draw their share', () => {
    expect(layout.rows.map((row) => laneCount(figures, row))).toEqual([1000, 400, 600]);
    const weights = layout.rows.map((_, row) =>
      lineWeight(
        figures,
        layout,
        layout.gaps.find((g) => g.row === row)!
      )
    );
    expect(weights.map((w) => Number(w.toFixed(3)))).toEqual([7, 3.4, 4.6]);
    expect(lineWeight(null, layout, layout.gaps[0]!)).toBe(1.5);
    expect(lineWeight({ ...figures, entered: 0 }, layout, layout.gaps[0]!)).toBe(1.5);
  });
});
