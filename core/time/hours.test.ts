import { expect, it } from 'vitest';
import { hoursSchema, nextOpening, type Hours } from './hours.ts';

const office: Hours = { days: ['mon', 'tue', 'wed', 'thu', 'fri'], from: '09:00', to: '18:00' };
const night: Hours = { days: ['fri'], from: '22:00', to: '06:00' };

// 1 March 2027 is a Monday.
it.each<[string, Hours, string, string | null]>([
  ['inside: now', office, '2027-03-01T09:40:00Z', '2027-03-01T09:40:00Z'],
  ['the opening itself is inside', office, '2027-03-01T09:00:00Z', '2027-03-01T09:00:00Z'],
  ['the closing is not', office, '2027-03-01T18:00:00Z', '2027-03-02T09:00:00Z'],
  ['before: today', office, '2027-03-01T08:59:59.999Z', '2027-03-01T09:00:00Z'],
  ['Friday evening: Monday', office, '2027-03-05T18:30:00Z', '2027-03-08T09:00:00Z'],
  ['no days: every day', { from: '09:00', to: '18:00' }, '2027-03-06T20:00:00Z', '2027-03-07T09:00:00Z'],
  ['over midnight belongs to the day it starts on', night, '2027-03-06T03:00:00Z', '2027-03-06T03:00:00Z'],
  ['over midnight, the night before does not count', night, '2027-03-05T03:00:00Z', '2027-03-05T22:00:00Z'],
  [
    'the same time twice is the whole day',
    { days: ['sat'], from: '00:00', to: '00:00' },
    '2027-03-06T23:59:00Z',
    '2027-03-06T23:59:00Z'
  ],
  ['a holiday starts no window', { ...office, except: ['2027-03-02'] }, '2027-03-01T19:00:00Z', '2027-03-03T09:00:00Z'],
  [
    'after the change to summer time it opens an hour earlier in UTC',
    office,
    '2027-03-27T12:00:00Z',
    '2027-03-29T08:00:00Z'
  ],
  ['a zone of its own', { ...office, zone: 'America/New_York' }, '2027-03-01T09:40:00Z', '2027-03-01T14:00:00Z']
])('%s', (_, hours, at, expected) => {
  const opening = nextOpening(hours, 'Europe/Dublin', Date.parse(at));
  expect(opening === null ? null : new Date(opening).toISOString()).toBe(
    expected === null ? null : new Date(expected).toISOString()
  );
});

it('finds none where every day is an exception', () => {
  const except = Array.from({ length: 400 }, (_, i) => new Date(Date.UTC(2027, 1, 20 + i)).toISOString().slice(0, 10));
  expect(nextOpening({ from: '09:00', to: '10:00', except }, 'UTC', Date.parse('2027-03-01T00:00:00Z'))).toBeNull();
});

it.each([
  { from: '9:00', to: '18:00' },
  { from: '09:00', to: '24:00' },
  { from: '09:00', to: '18:00', zone: 'Moor/Quill' },
  { from: '09:00', to: '18:00', days: [] }
])('refuses %j', (hours) => expect(hoursSchema.safeParse(hours).success).toBe(false));
