import fc from 'fast-check';
import { Temporal } from 'temporal-polyfill';
import { describe, expect, it } from 'vitest';
import { addDuration, fromWall, isZone, toWall, zoneOffset } from './civil.ts';
import { duration } from './duration.ts';

const ZONES = [
  'Europe/Dublin',
  'America/New_York',
  'Australia/Lord_Howe',
  'Pacific/Apia',
  'Asia/Kathmandu',
  'America/St_Johns',
  'Africa/Casablanca',
  'UTC'
];
const instants = fc.integer({ min: Date.parse('2005-01-01T00:00:00Z'), max: Date.parse('2038-01-01T00:00:00Z') });
const at = (text: string): number => Date.parse(text);

describe('against Temporal', () => {
  it('offsets agree at every instant', () => {
    fc.assert(
      fc.property(fc.constantFrom(...ZONES), instants, (zone, ms) => {
        const there = Temporal.Instant.fromEpochMilliseconds(ms).toZonedDateTimeISO(zone);
        expect(zoneOffset(zone, ms)).toBe(there.offsetNanoseconds / 1e6);
      }),
      { numRuns: 2000 }
    );
  });

  it('wall-clock times become the same instants, in gaps and overlaps too', () => {
    fc.assert(
      fc.property(fc.constantFrom(...ZONES), instants, (zone, ms) => {
        const plain = Temporal.Instant.fromEpochMilliseconds(ms).toZonedDateTimeISO('UTC').toPlainDateTime();
        expect(fromWall(zone, ms)).toBe(
          plain.toZonedDateTime(zone, { disambiguation: 'compatible' }).epochMilliseconds
        );
      }),
      { numRuns: 3000 }
    );
  });

  it('durations add the same, the date part first', () => {
    const durations = fc.constantFrom('P1D', 'P2D', 'P1W', 'P1M', 'P13M', 'P1Y', 'PT25H', 'P1DT12H', 'P1M3DT90M');
    fc.assert(
      fc.property(fc.constantFrom(...ZONES), instants, durations, (zone, ms, text) => {
        const d = Temporal.Duration.from(text);
        const there = Temporal.Instant.fromEpochMilliseconds(ms).toZonedDateTimeISO(zone);
        const date = there.toPlainDateTime().add({ years: d.years, months: d.months, weeks: d.weeks, days: d.days });
        const dated = d.years || d.months || d.weeks || d.days ? date.toZonedDateTime(zone).epochMilliseconds : ms;
        expect(addDuration(zone, ms, duration(text))).toBe(
          dated + (d.hours * 3600 + d.minutes * 60 + d.seconds) * 1000
        );
      }),
      { numRuns: 2000 }
    );
  });
});

it.each([
  [
    'two days later is the same wall-clock time over the change to summer time',
    'Europe/Dublin',
    '2027-03-27T09:00:00Z',
    'P2D',
    '2027-03-29T08:00:00Z'
  ],
  ['48 hours are 48 hours', 'Europe/Dublin', '2027-03-27T09:00:00Z', 'PT48H', '2027-03-29T09:00:00Z'],
  [
    'a time that is skipped moves forward by the gap',
    'Europe/Dublin',
    '2027-03-27T01:30:00Z',
    'P1D',
    '2027-03-28T01:30:00Z'
  ],
  ['a time that occurs twice is the first', 'Europe/Dublin', '2027-10-30T00:30:00Z', 'P1D', '2027-10-31T00:30:00Z'],
  ['31 January and a month is 28 February', 'UTC', '2027-01-31T10:00:00Z', 'P1M', '2027-02-28T10:00:00Z'],
  ['in a leap year it is 29 February', 'UTC', '2028-01-31T10:00:00Z', 'P1M', '2028-02-29T10:00:00Z'],
  ['29 February and a year is 28 February', 'UTC', '2028-02-29T10:00:00Z', 'P1Y', '2029-02-28T10:00:00Z'],
  [
    'in P1DT12H the date part is added first',
    'Europe/Dublin',
    '2027-03-27T12:00:00Z',
    'P1DT12H',
    '2027-03-28T23:00:00Z'
  ]
])('%s', (_, zone, from, d, to) =>
  expect(new Date(addDuration(zone, at(from), duration(d))).toISOString()).toBe(new Date(to).toISOString())
);

it('knows zones by their names only', () => {
  expect(isZone('Europe/Dublin')).toBe(true);
  expect(isZone('Moor/Quillmoor')).toBe(false);
  expect(isZone('+01:00')).toBe(false);
  expect(toWall('Europe/Dublin', at('2027-07-01T09:00:00Z'))).toBe(at('2027-07-01T10:00:00Z'));
});
