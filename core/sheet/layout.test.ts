import { lanesOf } from '../steps/index.ts';
import { readFileSync } from 'node:fs';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { branch, mail, put, text, wait } from '../../tests/make.ts';
import type { Journey } from '../journey/schema.ts';
import type { Step } from '../steps/index.ts';
import { CARD_WIDTH, layoutSheet } from './layout.ts';

const demo = JSON.parse(readFileSync('demo/journeys/after-the-first-visit.journey.json', 'utf8')) as Journey;

describe('the demo journey', () => {
  const layout = layoutSheet(demo.lane);
  it('has a column for each moment', () =>
    expect(layout.moments.map((m) => m.label)).toEqual(['Entry', 'Day 2', 'Day 5', 'Day 9']));
  it('has a row for each lane, indented under the step that opens it', () =>
    expect(layout.rows.map((r) => [r.depth, r.label])).toEqual([
      [0, 'Everyone'],
      [1, 'opened Thank you'],
      [1, 'did not open it']
    ]));
  it('draws waits as gaps, not as cards', () => {
    expect(layout.cards.map((c) => c.step.kind)).not.toContain('wait');
    expect(layout.gaps.flatMap((g) => g.waits.map((w) => w.for))).toEqual(['P2D', 'P3D', 'P3D', 'P4D']);
  });
});

it('says the range where lanes take different times', () => {
  const steps = [branch('b', 'yes', { tag: 'x' }, [wait('w', 'P2D'), mail('a')], [wait('v', 'P5D')]), mail('c')];
  const layout = layoutSheet(steps);
  expect(layout.cards.find((c) => c.step.key === 'c')?.elapsed).toEqual({ min: 2 * 86_400_000, max: 5 * 86_400_000 });
  expect(layout.moments.map((m) => m.label)).toEqual(['Entry', 'Day 2', 'Day 2–5']);
});

it('shows no lanes of a folded step, and keeps the time they take', () => {
  const steps = [branch('b', 'yes', { tag: 'x' }, [wait('w', 'P2D'), mail('a')], []), mail('c')];
  const layout = layoutSheet(steps, new Set(['b']));
  expect(layout.rows).toHaveLength(1);
  expect(layout.cards.map((c) => [c.step.key, c.folded])).toEqual([
    ['b', true],
    ['c', false]
  ]);
  expect(layout.moments.map((m) => m.label)).toEqual(['Entry', 'Entry to day 2']);
});

/** Any lane of up to five steps, branches up to two deep. */
const lanes = (depth: number): fc.Arbitrary<Step[]> => {
  const key = fc.integer({ min: 0, max: 1e9 }).map((n) => `k${n}`);
  const simple = fc.oneof(
    key.map(mail),
    key.map(text),
    key.map((k) => put(k)),
    fc.tuple(key, fc.constantFrom('PT2H', 'P1D', 'P3D')).map(([k, d]) => wait(k, d))
  );
  if (depth === 0) return fc.array(simple, { maxLength: 5 });
  const inner = lanes(depth - 1);
  return fc.array(
    fc.oneof(
      { weight: 3, arbitrary: simple },
      { weight: 1, arbitrary: fc.tuple(key, inner, inner).map(([k, a, b]) => branch(k, 'yes', { tag: 't' }, a, b)) }
    ),
    { maxLength: 5 }
  );
};

it('never lets two cards overlap, never draws a gap backwards, and shows every step once', () => {
  fc.assert(
    fc.property(lanes(2), (lane) => {
      const layout = layoutSheet(lane);
      for (const row of layout.rows.keys()) {
        const cards = layout.cards.filter((c) => c.row === row).sort((a, b) => a.x - b.x);
        for (let i = 1; i < cards.length; i++) expect(cards[i]!.x).toBeGreaterThanOrEqual(cards[i - 1]!.x + CARD_WIDTH);
      }
      for (const gap of layout.gaps) expect(gap.x2).toBeGreaterThanOrEqual(gap.x1);
      expect(layout.width).toBeGreaterThanOrEqual(layout.end.x);
      const count = (steps: Step[]): number =>
        steps.reduce((n, s) => n + (s.kind === 'wait' ? 0 : 1) + lanesOf(s).reduce((n, l) => n + count(l.steps), 0), 0);
      expect(layout.cards).toHaveLength(count(lane));
    }),
    { numRuns: 300 }
  );
});
