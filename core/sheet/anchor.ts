/**
 * A ruler that counts from a date of the person: "10 days before", "the day", "3 days after". It is drawn for journeys that
 * people get into by such a date alone; what waits until so long before or after the same date then stands where it falls.
 */
import type { Journey } from '../journey/schema.ts';
import type { WaitStep } from '../steps/wait.ts';
import { duration, DAY, HOUR, MINUTE, parseOffset, rulerLength, type Elapsed } from '../time/duration.ts';
import { timeOfDay } from '../time/hours.ts';

export interface Anchor {
  /** The field that holds the date. */
  field: string;
  /** When people enter, in ms from the midnight that the date begins with. */
  entry: number;
}

/** Ms from the midnight of the date. */
const fromDate = (offset: string | undefined, time: string | undefined): number =>
  (offset === undefined ? 0 : rulerLength(parseOffset(offset) ?? duration(offset))) +
  (time === undefined ? 0 : timeOfDay(time));

/** The date that a journey's ruler counts from; `null` where people get in otherwise, and time counts from entry. */
export function anchorOf({ entry }: Pick<Journey, 'entry'>): Anchor | null {
  if (!entry?.date || !('field' in entry.date) || entry.on?.length || entry.timetable) return null;
  const { field, offset, time } = entry.date;
  return { field, entry: fromDate(offset, time) };
}

/** When people come out of a wait until the anchor's own date, or until something near it; `null` for any other wait. */
export function toAnchored({ until }: WaitStep, at: Elapsed, anchor: Anchor): Elapsed | null {
  if (!until || !('field' in until) || until.field !== anchor.field) return null;
  const target = fromDate(until.offset, until.time) - anchor.entry;
  return { min: Math.max(at.min, target), max: Math.max(at.max, target) };
}

/** Whether everybody who enters on time finds that a wait's instant has passed when they come to it. */
export function isPassed({ until }: WaitStep, at: Elapsed, anchor: Anchor): boolean {
  if (!until || !('field' in until) || until.field !== anchor.field) return false;
  return fromDate(until.offset, until.time) - anchor.entry < at.min;
}

/** One instant: "10 days before", "the day, 9:00", "1 day after". */
function instantWords(ms: number): string {
  const days = Math.floor(ms / DAY);
  const rest = ms - days * DAY;
  const time = rest
    ? `, ${Math.floor(rest / HOUR)}:${String(Math.floor((rest % HOUR) / MINUTE)).padStart(2, '0')}`
    : '';
  const count = Math.abs(days);
  const day = days === 0 ? 'The day' : `${count} day${count === 1 ? '' : 's'} ${days < 0 ? 'before' : 'after'}`;
  return `${day}${time}`;
}

/** A moment of such a ruler; `at` in ms since entry. */
export function anchoredWords({ min, max }: Elapsed, { entry }: Anchor): string {
  const [from, to] = [instantWords(min + entry), instantWords(max + entry)];
  return from === to ? to : `${from} to ${to.replace(/^The/, 'the')}`;
}
