import { describe, expect, it } from 'vitest';
import { branch, journey, mail, put, text, wait } from '../../tests/make.ts';
import { layoutSheet } from '../sheet/layout.ts';
import { applyEdit } from './edit.ts';
import { dropOf } from './drag.ts';

const sheet = journey([
  mail('a'),
  wait('w', 'P2D'),
  mail('b'),
  wait('v', 'P3D'),
  branch('ask', 'yes', { tag: 'x' }, [put('y')], [text('n')])
]);
const layout = layoutSheet(sheet.lane);
const card = (key: string) => layout.cards.find((c) => c.step.key === key)!;
const column = (n: number) => layout.moments[n]!;

/** Lets a card go so that its left edge stands at x. */
const dropAt = (key: string, x: number) => dropOf(layout, card(key), x - card(key).x);

describe('letting a card go on the ruler', () => {
  it.each<[string, string, () => number, string | null, string]>([
    ['on its own moment changes nothing', 'b', () => column(1).x + 5, 'P2D', 'Day 2'],
    ['on the first moment takes the wait away', 'b', () => column(0).x + 5, null, 'Entry'],
    ['left of the ruler is the beginning', 'b', () => -500, null, 'Entry'],
    ['on a later moment waits until then', 'b', () => column(2).x + 5, 'P5D', 'Day 5'],
    ['right of the last moment is a day later', 'b', () => column(2).x + column(2).width, 'P6D', 'Day 6'],
    ['every 40 px more is another day', 'b', () => column(2).x + column(2).width + 81, 'P8D', 'Day 8'],
    ['never comes before the step it follows', 'ask', () => column(0).x, null, 'Day 2'],
    ['the first card moves as well', 'a', () => column(1).x + 1, 'P2D', 'Day 2'],
    ['a card inside a lane waits on its lane', 'y', () => column(2).x + column(2).width, null, 'Day 5']
  ])('%s', (_, key, x, expected, moment) => {
    const at = key === 'y' ? 'put-y' : key;
    const drop = dropAt(at, key === 'y' ? column(2).x + 3 : x());
    expect(drop).toMatchObject({ for: expected, moment });
  });

  it('gives the gap that the edit then sets', () => {
    const drop = dropAt('b', column(2).x + 5)!;
    const { document } = applyEdit(sheet, { edit: 'wait', lane: drop.gap.lane, index: drop.gap.index, for: drop.for });
    expect(document.lane[1]).toEqual({ key: 'w', kind: 'wait', for: 'P5D' });
    expect(layoutSheet(document.lane).moments.map((m) => m.label)).toEqual(['Entry', 'Day 5', 'Day 8']);
  });
});
