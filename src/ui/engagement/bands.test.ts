import { describe, expect, it } from 'vitest';
import { bandsOf } from './bands.ts';

describe('bands of points', () => {
  it('are of equal width, with 0 by itself, below and above', () => {
    expect(bandsOf({ '0': 5, '3': 1, '27': 2 }, { '0': 4, '3': 2, '-4': 2 })).toEqual([
      { name: '-5 to -1', today: 0, then: 2 },
      { name: '0', today: 5, then: 4 },
      { name: '1 to 5', today: 1, then: 2 },
      { name: '26 to 30', today: 2, then: 0 }
    ]);
  });

  it('lose nobody, and are few, whatever the points', () => {
    const today = Object.fromEntries(Array.from({ length: 500 }, (_, i) => [String(i * 37 - 900), 1]));
    const bands = bandsOf(today, {});
    expect(bands.reduce((sum, b) => sum + b.today, 0)).toBe(500);
    expect(bands.length).toBeLessThan(16);
  });

  it('of nobody with points are one', () => {
    expect(bandsOf({ '0': 3 }, { '0': 3 })).toEqual([{ name: '0', today: 3, then: 3 }]);
    expect(bandsOf({}, {})).toEqual([{ name: '0', today: 0, then: 0 }]);
  });
});
