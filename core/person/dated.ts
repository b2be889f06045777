/** Entries by date and timetable: when they next let a person in. Rules: docs/journey-language.md, "Entry". */
import type { TimetableEntry, DatedEntry } from '../walk/plan.ts';
import type { JourneyPlan } from '../journey/compile.ts';
import { zoneOf } from '../walk/surroundings.ts';
import type { Workspace } from '../settings/workspace.ts';
import { fromWall, parseDate } from '../time/civil.ts';
import { fieldInstant, monthDayInstant, weekdayInstant, yearlyInstant } from '../time/until.ts';
import type { PersonState } from './state.ts';

export type DatedWay = 'date' | 'timetable';

/** Whether a plan lets anyone in by itself. */
export const isDated = (plan: JourneyPlan): boolean => plan.entry.date !== null || plan.entry.timetable !== null;

/** The key under which it is kept when a plan last let someone in this way. */
export const datedKey = (plan: JourneyPlan, way: DatedWay): string => `${plan.key}/${way}`;

/** The next instant at or after `after` (UTC ms) at which a plan lets this person in this way; `null` for never. */
export function nextDated(
  plan: JourneyPlan,
  way: DatedWay,
  person: PersonState,
  workspace: Workspace,
  after: number
): number | null {
  const { date, timetable } = plan.entry;
  const zone = zoneOf(person, plan, workspace.zone);
  // At one instant someone is let in once.
  const last = person.dated?.get(datedKey(plan, way));
  const from = last === undefined ? after : Math.max(after, last + 1);
  if (way === 'date') return date ? nextDate(date, zone, person, from) : null;
  return timetable ? nextOfTimetable(timetable, zone, from) : null;
}

function nextDate(date: DatedEntry, zone: string, person: PersonState, from: number): number | null {
  let at: number | null;
  if (date.on !== null) at = fromWall(zone, (parseDate(date.on) ?? 0) + (date.time ?? 0));
  else {
    const value = person.fields.get(date.field ?? '');
    at = date.yearly
      ? yearlyInstant(value, zone, date.time, date.offset, from)
      : fieldInstant(value, zone, date.time, date.offset);
  }
  return at !== null && at >= from ? at : null;
}

function nextOfTimetable({ days, monthDay, time, zone }: TimetableEntry, own: string, from: number): number {
  const there = zone ?? own;
  return monthDay === null
    ? weekdayInstant(days, time, there, from, false)
    : monthDayInstant(monthDay, time, there, from);
}
