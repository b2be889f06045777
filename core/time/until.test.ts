/** Instants that waits, dates and timetables name, and openings of sending hours, against Temporal in every zone the runtime knows. */
import fc from 'fast-check';
import { Temporal } from 'temporal-polyfill';
import { describe, expect, it } from 'vitest';
import { addDuration, dateText, fromWall, parseDate, wallDay } from './civil.ts';
import { duration, parseOffset } from './duration.ts';
import { FARTHEST, nextOpening, WEEKDAYS, type Hours } from './hours.ts';
import { parseInstant } from './instant.ts';
import { fieldInstant, monthDayInstant, weekdayInstant, yearlyInstant } from './until.ts';

const ZONES = Intl.supportedValuesOf('timeZone');
const zones = fc.constantFrom(...ZONES);
const instants = fc.integer({ min: Date.parse('2007-01-01T00:00:00Z'), max: Date.parse('2037-01-01T00:00:00Z') });
const iso = (at: number | null): string | null => (at === null ? null : new Date(at).toISOString());

it('knows four hundred zones', () => expect(ZONES.length).toBeGreaterThan(400));

describe('in every zone the runtime knows', () => {
  it('wall-clock times at and around every change of daylight saving are Temporal’s', () => {
    for (const zone of ZONES) {
      let change = Temporal.Instant.from('2026-01-01T00:00:00Z').toZonedDateTimeISO(zone).getTimeZoneTransition('next');
      for (let n = 0; change && n < 3; n++) {
        for (const minutes of [-90, -60, -30, -1, 0, 1, 15, 30, 45, 60, 90]) {
          const plain = change.toPlainDateTime().add({ minutes });
          const wall = Date.parse(`${plain.toString({ smallestUnit: 'millisecond' })}Z`);
          expect(fromWall(zone, wall), `${zone} ${plain.toString()}`).toBe(
            plain.toZonedDateTime(zone, { disambiguation: 'compatible' }).epochMilliseconds
          );
        }
        change = change.getTimeZoneTransition('next');
      }
    }
  }, 60_000);

  it('days and months added are Temporal’s', () => {
    const durations = fc.constantFrom('P1D', 'P1W', 'P1M', 'P11M', 'P1Y', 'P1DT12H', 'PT36H', 'P1M1DT1H1M1S');
    fc.assert(
      fc.property(zones, instants, durations, (zone, at, text) => {
        const d = Temporal.Duration.from(text);
        const there = Temporal.Instant.fromEpochMilliseconds(at).toZonedDateTimeISO(zone);
        const dated =
          d.years || d.months || d.weeks || d.days
            ? there
                .toPlainDateTime()
                .add({ years: d.years, months: d.months, weeks: d.weeks, days: d.days })
                .toZonedDateTime(zone).epochMilliseconds
            : at;
        expect(addDuration(zone, at, duration(text))).toBe(
          dated + (d.hours * 3600 + d.minutes * 60 + d.seconds) * 1000
        );
      }),
      { numRuns: 1500 }
    );
  }, 60_000);

  it('the next opening of sending hours is the one found minute by minute', () => {
    const time = fc
      .tuple(fc.integer({ min: 0, max: 23 }), fc.constantFrom(0, 15, 30, 45))
      .map(([h, m]) => `${String(h).padStart(2, '0')}:${String(m).padStart(2, '0')}`);
    const hours: fc.Arbitrary<Hours> = fc
      .record({
        from: time,
        to: time,
        days: fc.option(fc.uniqueArray(fc.constantFrom(...WEEKDAYS), { minLength: 3 }), { nil: undefined })
      })
      .map(({ from, to, days }) => ({ from, to, ...(days ? { days } : {}) }));
    /** Whether a wall-clock time lies in a window, by what is written alone. */
    const isOpen = (h: Hours, zone: string, at: number): boolean => {
      const day = wallDay(zone, at);
      return [day - 86_400_000, day].some((start) => {
        const name = WEEKDAYS[(new Date(start).getUTCDay() + 6) % 7]!;
        if (h.days && !h.days.includes(name)) return false;
        const minutes = (t: string): number => (Number(t.slice(0, 2)) * 60 + Number(t.slice(3))) * 60_000;
        const opens = fromWall(zone, start + minutes(h.from));
        const closes = fromWall(zone, start + minutes(h.to) + (minutes(h.to) > minutes(h.from) ? 0 : 86_400_000));
        return at >= opens && at < closes;
      });
    };
    fc.assert(
      fc.property(hours, zones, instants, (h, zone, raw) => {
        const at = Math.floor(raw / 60_000) * 60_000;
        const next = nextOpening(h, zone, at)!;
        expect(isOpen(h, zone, next)).toBe(true);
        for (let t = at; t < next; t += 15 * 60_000) expect(isOpen(h, zone, t)).toBe(false);
        // Asked again at the opening, it is the opening.
        expect(nextOpening(h, zone, next)).toBe(next);
        if (next > at) expect(isOpen(h, zone, next - 1)).toBe(false);
        expect(next - at).toBeLessThanOrEqual(FARTHEST);
      }),
      { numRuns: 800 }
    );
  }, 60_000);

  it('weekdays and days of the month are the first of their kind at or after', () => {
    fc.assert(
      fc.property(
        zones,
        instants,
        fc.integer({ min: 0, max: 6 }),
        fc.integer({ min: 1, max: 31 }),
        (zone, at, weekday, monthDay) => {
          const time = 9 * 3_600_000;
          const found = weekdayInstant(
            WEEKDAYS.map((_, i) => i === weekday),
            time,
            zone,
            at,
            false
          );
          expect(found).toBeGreaterThanOrEqual(at);
          expect(found - at).toBeLessThan(8.2 * 86_400_000);
          expect(
            weekdayInstant(
              WEEKDAYS.map((_, i) => i === weekday),
              time,
              zone,
              found,
              false
            )
          ).toBe(found);
          expect(
            weekdayInstant(
              WEEKDAYS.map((_, i) => i === weekday),
              time,
              zone,
              found,
              true
            )
          ).toBeGreaterThan(found);
          const there = new Date(wallDay(zone, found));
          expect((there.getUTCDay() + 6) % 7).toBe(weekday);
          const month = monthDayInstant(monthDay, time, zone, at);
          const day = new Date(wallDay(zone, month));
          const last = new Date(Date.UTC(day.getUTCFullYear(), day.getUTCMonth() + 1, 0)).getUTCDate();
          expect(day.getUTCDate()).toBe(Math.min(monthDay, last));
          expect(month).toBeGreaterThanOrEqual(at);
          expect(month - at).toBeLessThan(32.1 * 86_400_000);
        }
      ),
      { numRuns: 800 }
    );
  }, 60_000);
});

describe('a yearly date', () => {
  const next = (value: string, after: string, offset: string | null = null): string | null =>
    iso(yearlyInstant(value, 'UTC', null, offset === null ? null : parseOffset(offset), Date.parse(after)));
  it.each<[string, string, string | null, string]>([
    ['2000-05-10', '2027-05-10T00:00:00Z', null, '2027-05-10'],
    ['2000-05-10', '2027-05-10T00:00:00.001Z', null, '2028-05-10'],
    ['2030-05-10', '2027-01-01T00:00:00Z', null, '2030-05-10'],
    ['2024-02-29', '2026-12-01T00:00:00Z', null, '2027-02-28'],
    ['2024-02-29', '2027-12-01T00:00:00Z', null, '2028-02-29'],
    ['2000-01-05', '2027-12-20T00:00:00Z', '-P10D', '2027-12-26'],
    ['2000-12-28', '2027-01-01T00:00:00Z', 'P10D', '2027-01-07'],
    ['2000-05-10', '2027-01-01T00:00:00Z', 'P3Y', '2027-05-10']
  ])('%s after %s with %s is %s', (value, after, offset, expected) =>
    expect(next(value, after, offset)).toBe(`${expected}T00:00:00.000Z`)
  );
  it('of no date is never', () => expect(next('soon', '2027-01-01T00:00:00Z')).toBeNull());
});

describe('reading', () => {
  it.each<[string, boolean]>([
    ['2027-03-01T09:00:00Z', true],
    ['2027-03-01T09:00Z', true],
    ['2027-03-01T09:00:00.123Z', true],
    ['2027-03-01T09:00:00+05:45', true],
    ['2027-03-01T09:00:00', false],
    ['2027-03-01', false],
    ['2027-02-30T09:00:00Z', false],
    ['1 March 2027 09:00 UTC', false],
    ['2027-03-01T25:00:00Z', false]
  ])('an instant %s: %s', (text, good) => expect(parseInstant(text) !== null).toBe(good));
  it.each<[string, boolean]>([
    ['2028-02-29', true],
    ['2027-02-29', false],
    ['2027-3-1', false],
    ['', false]
  ])('a date %s: %s', (text, good) => expect(parseDate(text) !== null).toBe(good));
  it.each<[string, number | null]>([
    ['P2D', 2],
    ['-P10D', -10],
    ['+P1W', 7],
    ['P0D', 0],
    ['-PT0S', 0],
    ['P', null],
    ['--P1D', null],
    ['P-1D', null],
    ['10 days', null]
  ])('an offset %s is %s days', (text, days) => expect(parseOffset(text)?.days ?? null).toBe(days));
  it('a field that is no date names no instant', () => {
    expect(fieldInstant('soon', 'UTC', null, null)).toBeNull();
    expect(fieldInstant(5, 'UTC', null, null)).toBeNull();
    expect(dateText(parseDate('2027-03-01')!)).toBe('2027-03-01');
  });
});
