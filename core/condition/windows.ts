/**
 * Windows of `last` and `next`, turned round: instead of adding a length to every value, the bounds between which values lie
 * are worked out once for a zone. What is counted on the wall clock differs between zones, and where months are short or
 * clocks go back the values that count are no one stretch: then two bounds are given, one that takes all of them in, and one
 * behind which nothing else lies.
 */
import { addDuration, addToWall, dateText, fromWall, toWall, wallDay } from '../time/civil.ts';
import { DAY, HOUR, type Duration } from '../time/duration.ts';

/** Days around an estimate that are looked at: months differ by no more. */
const AROUND = 4;

/** Dates, as text, that lie within the last or coming `d` at an instant: from and to, both included. */
export function dayBounds(zone: string, at: number, d: Duration, which: 'last' | 'next'): [from: string, to: string] {
  const today = wallDay(zone, at);
  if (which === 'next') return [dateText(today), dateText(Math.floor((addToWall(today, d) + d.ms) / DAY) * DAY)];
  const back = { years: -d.years, months: -d.months, days: -d.days, ms: 0 };
  const estimate = Math.floor((addToWall(today, back) - d.ms) / DAY) * DAY;
  for (let day = estimate - AROUND * DAY; day < today; day += DAY)
    if (addToWall(day, d) + d.ms >= today) return [dateText(day), dateText(today)];
  return [dateText(today), dateText(today)];
}

/**
 * Behind which instant, UTC ms, something is not yet as long ago as `d`: `at` before that instant plus `d`. All that counts
 * lies at or behind `over`; all that lies at or behind `under` counts. They are the same but for short months and clocks that
 * go back.
 */
export function sinceWhen(zone: string, at: number, d: Duration): { over: number; under: number } {
  if (!d.years && !d.months && !d.days) return { over: at - d.ms + 1, under: at - d.ms + 1 };
  const counts = (from: number): boolean => at < addDuration(zone, from, d);
  const back = { years: -d.years, months: -d.months, days: -d.days, ms: -d.ms };
  const estimate = toWall(zone, addDuration(zone, at, back));
  const first = Math.floor(estimate / DAY) * DAY - AROUND * DAY;
  // The wall clock that it has to be behind, and on each day the first time of it that is.
  const target = toWall(zone, at - d.ms) + 1;
  let over: number | null = null;
  let under = first;
  for (let day = first; day <= first + 2 * AROUND * DAY; day += DAY) {
    const time = Math.max(0, target - addToWall(day, d));
    if (time < DAY) over ??= day + time;
    if (time > 0) under = day + Math.min(time, DAY);
  }
  const found = { over: fromWall(zone, over ?? estimate), under: fromWall(zone, under) };
  // Where clocks go back around there, or around the present, an hour comes twice: what lies in it is not sure.
  const steady = (wall: number): boolean =>
    toWall(zone, fromWall(zone, wall - HOUR)) === wall - HOUR &&
    fromWall(zone, wall + HOUR) - fromWall(zone, wall - HOUR) === 2 * HOUR;
  if (steady(over ?? estimate) && steady(under) && steady(target) && counts(found.under) && !counts(found.over - 1))
    return found;
  return { over: found.over - 3 * HOUR, under: found.under + 3 * HOUR };
}
