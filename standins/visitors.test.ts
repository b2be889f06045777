import { expect, it } from 'vitest';
import { evening, nextEvening } from './visitors.ts';

const FROM = Date.parse('2027-03-01T09:40:00Z');
const people = Array.from({ length: 50 }, (_, i) => `p${i}@people.example`);

it.each([
  ['2027-01-01T00:00:00Z', '2027-03-01T21:30:00.000Z'],
  ['2027-03-01T21:29:59Z', '2027-03-01T21:30:00.000Z'],
  ['2027-03-01T21:30:00Z', '2027-03-02T21:30:00.000Z']
])('after %s the next evening is %s', (after, next) =>
  expect(new Date(nextEvening({ from: FROM }, Date.parse(after))).toISOString()).toBe(next)
);

it('an evening is the same for the same seed, and each thing has an id of its own', () => {
  const at = nextEvening({ from: FROM }, FROM);
  const told = evening('a', at, people) as { id: string; type: string }[];
  expect(told).toEqual(evening('a', at, people));
  expect(told).not.toEqual(evening('b', at, people));
  expect(new Set(told.map((e) => e.id)).size).toBe(told.length);
  expect(told.filter((e) => e.type === 'ambulo.set').length).toBeGreaterThanOrEqual(3);
});
