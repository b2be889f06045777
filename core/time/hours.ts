/**
 * Sending hours: the days and hours in which messages may go out, and the next
 * opening from an instant. Rules: docs/journey-language.md, "Sending hours".
 */
import { z } from 'zod';
import { fromWall, isZone, wallDay } from './civil.ts';
import { DAY, MINUTE } from './duration.ts';

export const WEEKDAYS = ['mon', 'tue', 'wed', 'thu', 'fri', 'sat', 'sun'] as const;

export const clockTime = z.string().regex(/^([01]\d|2[0-3]):[0-5]\d$/, { error: 'expected a time such as "09:00"' });

/** `"person"` (the person's own zone) or an IANA zone name. */
export const zoneName = z.string().refine(isZone, { error: 'expected a time zone name such as "Europe/Dublin"' });
export const zoneOrPerson = z.string().refine((name) => name === 'person' || isZone(name), {
  error: 'expected "person" or a time zone name such as "Europe/Dublin"'
});

export const hoursSchema = z.strictObject({
  days: z.array(z.enum(WEEKDAYS)).min(1).optional(),
  from: clockTime,
  to: clockTime,
  zone: zoneOrPerson.optional(),
  except: z.array(z.iso.date()).optional()
});
export type Hours = z.infer<typeof hoursSchema>;

/** Sending hours, ready to be asked often: nothing in them is text any more. */
export interface OpenHours {
  /** `null`: the zone of whoever is asked about. */
  zone: string | null;
  /** Opening, in ms after midnight. */
  from: number;
  /** Closing, in ms after the same midnight; above a day where the window runs over the next one. */
  to: number;
  /** By weekday from Monday; `null`: every day. */
  days: boolean[] | null;
  /** Midnights (as wall-clock ms) of days on which no window starts. */
  except: Set<number> | null;
}

/** A time such as "09:30" in ms after midnight. */
export function timeOfDay(time: string): number {
  return (Number(time.slice(0, 2)) * 60 + Number(time.slice(3, 5))) * MINUTE;
}

/** Weekday of a midnight (wall-clock ms), 0 for Monday. 1 January 1970 was a Thursday. */
export function weekdayOf(day: number): number {
  return (((day / DAY + 3) % 7) + 7) % 7;
}

const opened = new WeakMap<Hours, OpenHours>();

/** Compiles sending hours; the same object is compiled once. */
export function openHours(hours: Hours): OpenHours {
  let found = opened.get(hours);
  if (!found) {
    const from = timeOfDay(hours.from);
    const to = timeOfDay(hours.to);
    found = {
      zone: !hours.zone || hours.zone === 'person' ? null : hours.zone,
      from,
      to: to > from ? to : to + DAY,
      days: hours.days ? WEEKDAYS.map((d) => hours.days?.includes(d) ?? false) : null,
      except: hours.except?.length ? new Set(hours.except.map((d) => Date.parse(`${d}T00:00:00Z`))) : null
    };
    opened.set(hours, found);
  }
  return found;
}

/** No instant further away than this is looked for. */
export const FARTHEST = 366 * DAY;

/**
 * The earliest instant at or after `at` that these hours allow, in UTC ms;
 * `null` where there is none within 366 days. `personZone` is used unless the hours name a zone of their own.
 */
export function nextOpening(hours: Hours, personZone: string, at: number): number | null {
  const open = openHours(hours);
  const zone = open.zone ?? personZone;
  const today = wallDay(zone, at);
  // A window that runs over midnight belongs to the day it started on, so yesterday's may still be open.
  for (let ahead = -1; ahead <= 367; ahead++) {
    const day = today + ahead * DAY;
    if (open.days && !open.days[weekdayOf(day)]) continue;
    if (open.except?.has(day)) continue;
    const closes = fromWall(zone, day + open.to);
    if (at >= closes) continue;
    const opens = fromWall(zone, day + open.from);
    // A window that daylight saving swallows whole never opens.
    if (opens >= closes) continue;
    const opening = Math.max(at, opens);
    return opening - at <= FARTHEST ? opening : null;
  }
  return null;
}
