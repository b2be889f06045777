/**
 * An instant to wait for, as it is typed: a time of day (`9:00`), a weekday (`fri 16:00`), a date (`12 May`), or so long
 * before or after a date that people have (`2d before visit`). Each may say its time of day at the end.
 */
import { dateText, parseDate } from '../time/civil.ts';
import { parseDuration, typedDuration } from '../time/duration.ts';
import { WEEKDAYS } from '../time/hours.ts';
import type { Until } from '../steps/wait.ts';
import { durationShort } from '../tell/words.ts';

/** What is known where something is typed. */
export interface TypedAround {
  /** Names of fields that people have. */
  fields?: readonly string[];
  /** Today as a wall-clock day, UTC ms: a date without a year is the next one. */
  today?: number;
}

export type TypedUntil = { until: Until } | { problem: string };

const MONTHS = ['jan', 'feb', 'mar', 'apr', 'may', 'jun', 'jul', 'aug', 'sep', 'oct', 'nov', 'dec'];
const TIME = String.raw`(\d{1,2})(?:[:.](\d{2})\s*([ap]m)?|\s*([ap]m))`;
const TRAILING = new RegExp(String.raw`(?:^|\s|,)(?:at\s+)?${TIME}$`, 'i');

/** Takes a time of day off the end: what stands before it, and the time as `HH:MM`; `null` where it is no time of a day. */
function takeTime(text: string): { rest: string; time: string | null } | null {
  const m = TRAILING.exec(text);
  if (!m) return { rest: text, time: null };
  const half = (m[3] ?? m[4])?.toLowerCase();
  const [hour, minute] = [Number(m[1]), Number(m[2] ?? 0)];
  if (minute > 59 || hour > 23 || (half && (hour < 1 || hour > 12))) return null;
  const full = half ? (hour % 12) + (half === 'pm' ? 12 : 0) : hour;
  const time = `${String(full).padStart(2, '0')}:${String(minute).padStart(2, '0')}`;
  return { rest: text.slice(0, m.index).trim(), time };
}

/** "mon", "Mondays", "thurs": its short name. */
const weekday = (word: string): (typeof WEEKDAYS)[number] | undefined =>
  word.length > 2
    ? WEEKDAYS.find((d) => DAY_NAMES[d].startsWith(word.replace(/s$/, '')) || DAY_NAMES[d] === word)
    : undefined;

const DAY_NAMES = {
  mon: 'monday',
  tue: 'tuesday',
  wed: 'wednesday',
  thu: 'thursday',
  fri: 'friday',
  sat: 'saturday',
  sun: 'sunday'
};

/** A day as `YYYY-MM-DD`; `null` where there is none of that name, absent where the text is none. */
function dayOf(text: string, today: number): string | null | undefined {
  const iso = /^(\d{4})-(\d{1,2})-(\d{1,2})$/.exec(text);
  const named =
    /^(\d{1,2})(?:st|nd|rd|th|\.)?\s+([a-z]{3,9})\.?(?:\s+(\d{4}))?$/i.exec(text) ??
    /^([a-z]{3,9})\.?\s+(\d{1,2})(?:st|nd|rd|th)?(?:,?\s+(\d{4}))?$/i.exec(text);
  if (iso) return plain(Number(iso[1]), Number(iso[2]), Number(iso[3]));
  if (!named) return undefined;
  const [word, day] = /^\d/.test(named[1] ?? '') ? [named[2], named[1]] : [named[1], named[2]];
  const month = MONTHS.indexOf((word ?? '').slice(0, 3).toLowerCase()) + 1;
  if (!month) return undefined;
  if (named[3]) return plain(Number(named[3]), month, Number(day));
  const year = new Date(today).getUTCFullYear();
  // A 29 February without a year is that of the next leap year.
  for (let ahead = 0; ahead < 9; ahead++) {
    const found = plain(year + ahead, month, Number(day));
    if (found !== null && found >= dateText(today)) return found;
  }
  return null;
}

function plain(year: number, month: number, day: number): string | null {
  const text = `${String(year).padStart(4, '0')}-${String(month).padStart(2, '0')}-${String(day).padStart(2, '0')}`;
  return parseDate(text) === null ? null : text;
}

/** The field that is meant: as it is called, in whatever case, or the only one that begins so; a new name is taken as it is. */
function fieldOf(text: string, fields: readonly string[]): string | null {
  const typed = text.trim().toLowerCase().replace(/\s+/g, '_');
  const same = fields.find((f) => f.toLowerCase() === typed);
  if (same !== undefined) return same;
  const begin = fields.filter((f) => f.toLowerCase().startsWith(typed));
  if (begin.length === 1 && begin[0] !== undefined) return begin[0];
  return /^[\p{L}_][\p{L}\p{N}_ -]*$/u.test(text.trim()) ? text.trim() : null;
}

/** Reads what is typed; `null` where it is no instant at all (a length of time, a slip of the keys). */
export function typedUntil(text: string, { fields = [], today = 0 }: TypedAround = {}): TypedUntil | null {
  const typed = text
    .trim()
    .replace(/\s+/g, ' ')
    .replace(/^until /i, '');
  const timed = takeTime(typed);
  if (!timed) return { problem: 'a day has no such time: type one such as 9:00 or 16:30' };
  const { rest, time } = timed;
  const at = time === null ? {} : { time };
  if (rest === '') return time === null ? null : { until: { time } };

  const words = rest
    .toLowerCase()
    .split(/\s*(?:,|\bor\b|\band\b|\s)\s*/)
    .filter(Boolean);
  const days = words.map(weekday);
  if (days.every((d) => d !== undefined)) {
    if (time === null) return { problem: `at what time? Type one as well, such as ${rest} 16:00` };
    return { until: { weekdays: WEEKDAYS.filter((d) => days.includes(d)), time } };
  }

  const day = dayOf(rest, today);
  if (day === null) return { problem: `there is no such day as ${rest}` };
  if (day !== undefined) return { until: { date: day, ...at } };

  const anchored = /^(.*?)\s*\b(before|after)\s+(.+)$/i.exec(rest);
  const on = /^(?:on(?: the day of)?|the day of)\s+(.+)$/i.exec(rest);
  if (anchored) {
    const [, far = '', side = '', name = ''] = anchored;
    const length = typedDuration(far);
    if (!length) return { problem: `how long ${side}? Type a length such as 2d ${side} ${name}` };
    const field = fieldOf(name, fields);
    if (field === null) return { problem: `${name} is no name of a field` };
    return { until: { field, offset: side.toLowerCase() === 'before' ? `-${length}` : length, ...at } };
  }
  // A name alone could be a slip of the keys, or another word.
  const field = on ? fieldOf(on[1] ?? '', fields) : null;
  if (field === null) return null;
  return { until: { field, ...at } };
}

/** What would be typed for it. */
export function untilText(until: Until): string {
  const time = until.time === undefined ? '' : ` ${until.time}`;
  if ('weekdays' in until) return `${until.weekdays.join(', ')}${time}`;
  if ('date' in until) return `${until.date}${time}`;
  if (!('field' in until)) return until.time;
  const offset = until.offset?.replace(/^[+-]/, '') ?? '';
  if (!parseDuration(offset)) return `on ${until.field}${time}`;
  return `${durationShort(offset).replace(/(\d) /g, '$1')} ${until.offset?.startsWith('-') ? 'before' : 'after'} ${until.field}${time}`;
}
