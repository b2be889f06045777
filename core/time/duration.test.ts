import { describe, expect, it } from 'vitest';
import { DAY, duration, durationText, HOUR, MINUTE, parseDuration, rulerLength, typedDuration } from './duration.ts';

describe('parseDuration', () => {
  it.each([
    ['P2D', { years: 0, months: 0, days: 2, ms: 0 }],
    ['PT90M', { years: 0, months: 0, days: 0, ms: 90 * MINUTE }],
    ['P6M', { years: 0, months: 6, days: 0, ms: 0 }],
    ['P1DT12H', { years: 0, months: 0, days: 1, ms: 12 * HOUR }],
    ['P1Y2M3W4DT5H6M7S', { years: 1, months: 2, days: 25, ms: 5 * HOUR + 6 * MINUTE + 7000 }]
  ])('%s', (text, expected) => expect(parseDuration(text)).toEqual(expected));

  it.each(['', 'P', 'PT', 'P0D', 'PT0S', '-P2D', 'P2DT', '2D', 'P1.5D', 'P2D ', 'p2d'])('refuses %j', (text) =>
    expect(parseDuration(text)).toBeNull()
  );
});

it.each([
  ['2d', 'P2D'],
  ['3 days', 'P3D'],
  ['1d 12h', 'P1DT12H'],
  ['1 day and 4 hours', 'P1DT4H'],
  ['90 min', 'PT90M'],
  ['2 weeks', 'P2W'],
  ['p2d', 'P2D'],
  ['6mo', 'P6M']
])('a person types %j: %s', (typed, iso) => expect(typedDuration(typed)).toBe(iso));

it.each(['', 'soon', '2', '2x', '0d', '2d later', '-2d'])('a person types %j: not understood', (typed) =>
  expect(typedDuration(typed)).toBeNull()
);

it('writes a length in the shortest way, and reads it back', () => {
  expect(durationText(5 * DAY)).toBe('P5D');
  expect(durationText(DAY + 90 * MINUTE)).toBe('P1DT1H30M');
  expect(durationText(0)).toBeNull();
  expect(rulerLength(duration(durationText(3 * DAY + 7 * HOUR) ?? ''))).toBe(3 * DAY + 7 * HOUR);
});
