/**
 * The instants that waits, dates and timetables name. Wall-clock times become
 * instants in a zone. Rules: docs/journey-language.md, "Waiting until", "Entry".
 */
import { addToWall, fromWall, lastDayOf, parseDate, toWall, wallDay } from './civil.ts';
import { DAY, type Duration } from './duration.ts';
import { weekdayOf } from './hours.ts';
import { parseInstant } from './instant.ts';

/** A field's value as a wall-clock time: a date at midnight, an instant at its own time of day; `null` for neither. */
export function wallOf(value: unknown, zone: string): number | null {
  if (typeof value !== 'string') return null;
  const date = parseDate(value);
  if (date !== null) return date;
  const at = parseInstant(value);
  return at === null ? null : toWall(zone, at);
}

/**
 * The instant that a date field names: its day (an instant's day in the zone), the offset's date part added, at `time`
 * (ms after midnight; absent: midnight, or an instant's own time of day), then the offset's exact part.
 */
export function fieldInstant(
  value: unknown,
  zone: string,
  time: number | null,
  offset: Duration | null
): number | null {
  const wall = wallOf(value, zone);
  return wall === null ? null : wallInstant(wall, zone, time, offset);
}

function wallInstant(wall: number, zone: string, time: number | null, offset: Duration | null): number {
  const day = Math.floor(wall / DAY) * DAY;
  const moved = addToWall(day, offset ?? { years: 0, months: 0, days: 0, ms: 0 });
  return fromWall(zone, moved + (time ?? wall - day)) + (offset?.ms ?? 0);
}

/**
 * The first yearly return of a date at or after `after`, its own year the first; a 29 February is 28 February in other
 * years. `null` where the value is no date.
 */
export function yearlyInstant(
  value: unknown,
  zone: string,
  time: number | null,
  offset: Duration | null,
  after: number
): number | null {
  const wall = wallOf(value, zone);
  if (wall === null) return null;
  const own = new Date(wall);
  const first = own.getUTCFullYear();
  const around = new Date(after).getUTCFullYear();
  const shift = Math.abs(offset?.years ?? 0) + Math.ceil(Math.abs(offset?.months ?? 0) / 12) + 2;
  let best: number | null = null;
  for (let year = Math.max(first, around - shift); year <= Math.max(first, around + shift); year++) {
    const day = Math.min(own.getUTCDate(), lastDayOf(year, own.getUTCMonth()));
    const there = Date.UTC(year, own.getUTCMonth(), day) + (((wall % DAY) + DAY) % DAY);
    const at = wallInstant(there, zone, time, offset);
    if (at >= after && (best === null || at < best)) best = at;
  }
  return best;
}

/** The first instant at or after `after` (or, `strictly`, only after it) at a time of day on one of the weekdays. */
export function weekdayInstant(
  days: readonly boolean[] | null,
  time: number,
  zone: string,
  after: number,
  strictly: boolean
): number {
  const today = wallDay(zone, after);
  for (let ahead = -1; ; ahead++) {
    const day = today + ahead * DAY;
    if (days && !days[weekdayOf(day)]) continue;
    const at = fromWall(zone, day + time);
    if (strictly ? at > after : at >= after) return at;
  }
}

/** The first instant at or after `after` on a day of the month; a month too short takes its last day. */
export function monthDayInstant(monthDay: number, time: number, zone: string, after: number): number {
  const today = new Date(wallDay(zone, after));
  for (let ahead = -1; ; ahead++) {
    const month = new Date(Date.UTC(today.getUTCFullYear(), today.getUTCMonth() + ahead, 1));
    const day = Math.min(monthDay, lastDayOf(month.getUTCFullYear(), month.getUTCMonth()));
    const at = fromWall(zone, Date.UTC(month.getUTCFullYear(), month.getUTCMonth(), day) + time);
    if (at >= after) return at;
  }
}
