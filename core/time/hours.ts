/**
 * Sending hours: the days and hours in which messages may go out, and the next
 * opening from an instant. Rules: docs/journey-language.md, "Sending hours".
 */
import { z } from 'zod';
import { fromWall, isZone, toWall } from './civil.ts';
import { DAY, MINUTE } from './duration.ts';

export const WEEKDAYS = ['mon', 'tue', 'wed', 'thu', 'fri', 'sat', 'sun'] as const;

const clockTime = z.string().regex(/^([01]\d|2[0-3]):[0-5]\d$/, { error: 'expected a time such as "09:00"' });

/** `"person"` (the person's own zone) or an IANA zone name. */
export const zoneName = z.string().refine(isZone, { error: 'expected a time zone name such as "Europe/Dublin"' });
const zoneOrPerson = z.string().refine((name) => name === 'person' || isZone(name), {
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

function minutes(time: string): number {
  return Number(time.slice(0, 2)) * 60 + Number(time.slice(3, 5));
}

/**
 * The earliest instant at or after `at` that these hours allow, in UTC ms;
 * `null` where there is none within 366 days. `personZone` is used unless the hours name a zone of their own.
 */
export function nextOpening(hours: Hours, personZone: string, at: number): number | null {
  const zone = !hours.zone || hours.zone === 'person' ? personZone : hours.zone;
  const from = minutes(hours.from) * MINUTE;
  const to = minutes(hours.to) * MINUTE;
  const length = to > from ? to : to + DAY;
  const today = Math.floor(toWall(zone, at) / DAY) * DAY;
  for (let ahead = -1; ahead <= 366; ahead++) {
    const day = today + ahead * DAY;
    // 1 January 1970 was a Thursday: day 0 is index 3 of a week that starts on Monday.
    const weekday = WEEKDAYS[(((day / DAY + 3) % 7) + 7) % 7];
    if (hours.days && weekday && !hours.days.includes(weekday)) continue;
    if (hours.except?.includes(new Date(day).toISOString().slice(0, 10))) continue;
    if (at >= fromWall(zone, day + length)) continue;
    const opening = Math.max(at, fromWall(zone, day + from));
    return opening - at <= 366 * DAY ? opening : null;
  }
  return null;
}
