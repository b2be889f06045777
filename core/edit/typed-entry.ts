/** Ways in by the clock, as they are typed: a date (`10d before visit 9:00`, `12 May 2027`) and a timetable (`mon, fri 10:30`, `1st of each month 9:00`). */
import type { Entry } from '../journey/schema.ts';
import { ordinal } from '../tell/words.ts';
import { typedUntil, untilText, type TypedAround } from './typed-until.ts';

type EntryDate = NonNullable<Entry['date']>;
type Timetable = NonNullable<Entry['timetable']>;

/** `null`: none, where nothing is typed. */
export function readEntryDate(
  text: string,
  around: TypedAround = {}
): { date: EntryDate | null } | { problem: string } {
  if (text.trim() === '') return { date: null };
  const read = typedUntil(text, around) ?? typedUntil(`on ${text.trim()}`, around);
  if (!read)
    return { problem: 'type a date of theirs such as 10d before visit, on birthday, or a date such as 12 May 2027' };
  if ('problem' in read) return read;
  const { until } = read;
  const time = until.time === undefined ? {} : { time: until.time };
  if ('date' in until) return { date: { on: until.date, ...time } };
  if ('field' in until)
    return { date: { field: until.field, ...(until.offset === undefined ? {} : { offset: until.offset }), ...time } };
  return { problem: 'this is no date: a time of day or a weekday belongs into the timetable' };
}

export function entryDateText(date: EntryDate | undefined): string {
  if (!date) return '';
  if ('on' in date) return untilText({ date: date.on, ...(date.time === undefined ? {} : { time: date.time }) });
  const { field, offset, time } = date;
  return untilText({ field, ...(offset === undefined ? {} : { offset }), ...(time === undefined ? {} : { time }) });
}

/** `null`: none, where nothing is typed. */
export function readTimetable(text: string): { timetable: Timetable | null } | { problem: string } {
  const typed = text.trim();
  if (typed === '') return { timetable: null };
  const month =
    /^(?:on )?(?:the )?(\d{1,2})(?:st|nd|rd|th|\.)?(?: day)? (?:of )?(?:each|every|the) month(?:,? (?:at )?(\d{1,2})[:.](\d{2}))?$/i.exec(
      typed
    );
  if (month) {
    const [monthDay, hour, minute] = [Number(month[1]), Number(month[2] ?? 9), Number(month[3] ?? 0)];
    if (monthDay < 1 || monthDay > 31) return { problem: `no month has a day ${monthDay}` };
    if (hour > 23 || minute > 59) return { problem: 'a day has no such time: type one such as 9:00' };
    return { timetable: { monthDay, time: `${String(hour).padStart(2, '0')}:${String(minute).padStart(2, '0')}` } };
  }
  const read = typedUntil(typed.replace(/^(?:each|every) /i, ''));
  if (read && 'problem' in read) return read;
  if (!read || !('weekdays' in read.until))
    return { problem: 'type weekdays with a time such as mon, fri 10:30, or 1st of each month 9:00' };
  return { timetable: { weekdays: read.until.weekdays, time: read.until.time } };
}

export function timetableText(table: Timetable | undefined): string {
  if (!table) return '';
  return 'monthDay' in table
    ? `${ordinal(table.monthDay)} of each month ${table.time}`
    : untilText({ weekdays: table.weekdays, time: table.time });
}
