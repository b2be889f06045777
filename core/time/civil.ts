/**
 * Civil time: adding calendar durations in a zone, and turning wall-clock times
 * into instants. Instants are UTC milliseconds. Offsets are looked up once per
 * zone and stretch between two changes, so no calendar object is built on the
 * hot path. Rules: docs/journey-language.md, "Durations and instants".
 */
import { Temporal } from 'temporal-polyfill';
import { DAY, type Duration } from './duration.ts';

/** A stretch of time in which a zone keeps one offset from UTC: [from, to), both in ms. */
interface Stretch {
  from: number;
  to: number;
  offset: number;
}

const stretches = new Map<string, Stretch[]>();
const last = new Map<string, Stretch>();

const zones = new Map<string, boolean>();

/** Whether the runtime knows this IANA zone name. */
export function isZone(name: string): boolean {
  let known = zones.get(name);
  if (known === undefined) {
    try {
      new Intl.DateTimeFormat('en', { timeZone: name });
      // Offsets such as "+01:00" are taken as well, but are no names.
      known = !/^[+-]/.test(name);
    } catch {
      known = false;
    }
    // What people write is not kept without end.
    if (zones.size > 5000) zones.clear();
    zones.set(name, known);
  }
  return known;
}

/** So far back a stretch is looked for; one that began earlier is cut off there. */
const LOOK_BACK = 400 * DAY;

function findStretch(zone: string, at: number): Stretch {
  const there = Temporal.Instant.fromEpochMilliseconds(at).toZonedDateTimeISO(zone);
  // Changes are gone through forward: looking for the one before takes ten times as long.
  let from = at - LOOK_BACK;
  let next = Temporal.Instant.fromEpochMilliseconds(from).toZonedDateTimeISO(zone).getTimeZoneTransition('next');
  while (next && next.epochMilliseconds <= at) {
    from = next.epochMilliseconds;
    next = next.getTimeZoneTransition('next');
  }
  return { from, to: next ? next.epochMilliseconds : Infinity, offset: Math.round(there.offsetNanoseconds / 1e6) };
}

/** The zone's offset from UTC at an instant, in ms (Dublin in July: +3 600 000). */
export function zoneOffset(zone: string, at: number): number {
  if (zone === 'UTC') return 0;
  const recent = last.get(zone);
  if (recent && at >= recent.from && at < recent.to) return recent.offset;
  let known = stretches.get(zone);
  if (!known) stretches.set(zone, (known = []));
  let found = known.find((s) => at >= s.from && at < s.to);
  if (!found) known.push((found = findStretch(zone, at)));
  last.set(zone, found);
  return found.offset;
}

/** The wall-clock time of an instant, written as if it were UTC milliseconds. */
export function toWall(zone: string, at: number): number {
  return at + zoneOffset(zone, at);
}

/**
 * The instant of a wall-clock time (given as if it were UTC milliseconds). A time
 * that daylight saving skips moves forward by the gap; one that occurs twice is the first.
 */
export function fromWall(zone: string, wall: number): number {
  const before = zoneOffset(zone, wall - DAY);
  const after = zoneOffset(zone, wall + DAY);
  if (before === after) return wall - before;
  const early = wall - Math.max(before, after);
  const late = wall - Math.min(before, after);
  if (toWall(zone, early) === wall) return early;
  if (toWall(zone, late) === wall) return late;
  return wall - before;
}

/** `at` plus a duration: the date part on the zone's calendar first, then the exact part. */
export function addDuration(zone: string, at: number, d: Duration): number {
  if (!d.years && !d.months && !d.days) return at + d.ms;
  return fromWall(zone, addToWall(toWall(zone, at), d)) + d.ms;
}

/** Midnight of the day that an instant falls on in a zone, as wall-clock ms (see {@link toWall}). */
export function wallDay(zone: string, at: number): number {
  return Math.floor(toWall(zone, at) / DAY) * DAY;
}

/** A date (`2027-03-01`) as the wall-clock ms of its midnight; `null` where the text is no real date. */
export function parseDate(text: string): number | null {
  if (!/^\d{4}-\d{2}-\d{2}$/.test(text)) return null;
  const ms = Date.parse(`${text}T00:00:00Z`);
  // A day that a month has not is taken for one of the next.
  return !Number.isNaN(ms) && new Date(ms).getUTCDate() === Number(text.slice(8)) ? ms : null;
}

/** Wall-clock ms as a date. */
export function dateText(wall: number): string {
  return new Date(wall).toISOString().slice(0, 10);
}

/** The wall-clock date part of a duration added to a wall-clock time; the exact part is left out. */
export function addToWall(wall: number, d: Duration): number {
  if (!d.years && !d.months) return wall + d.days * DAY;
  const date = new Date(wall);
  const months = date.getUTCFullYear() * 12 + date.getUTCMonth() + d.years * 12 + d.months;
  const year = Math.floor(months / 12);
  const month = months % 12;
  const day = Math.min(date.getUTCDate(), lastDayOf(year, month));
  return Date.UTC(year, month, day) + (((wall % DAY) + DAY) % DAY) + d.days * DAY;
}

/** The last day of a month; `month` is 0 for January. */
export function lastDayOf(year: number, month: number): number {
  return new Date(Date.UTC(year, month + 1, 0)).getUTCDate();
}
