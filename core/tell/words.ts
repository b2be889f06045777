/** Numbers, durations and enumerations in words. */
import { DAY, HOUR, MINUTE, parseDuration } from '../time/duration.ts';

const PIECES = [
  ['years', 'y', 'year'],
  ['months', 'mo', 'month'],
  ['days', 'd', 'day']
] as const;

function pieces(iso: string): [number, string, string][] {
  const d = parseDuration(iso);
  if (!d) return [];
  const found: [number, string, string][] = [];
  for (const [unit, short, long] of PIECES) if (d[unit]) found.push([d[unit], short, long]);
  const hours = Math.floor(d.ms / HOUR);
  const minutes = Math.floor((d.ms % HOUR) / MINUTE);
  const seconds = (d.ms % MINUTE) / 1000;
  if (hours) found.push([hours, 'h', 'hour']);
  if (minutes) found.push([minutes, 'min', 'minute']);
  if (seconds) found.push([seconds, 's', 'second']);
  return found;
}

/** A duration in full words: `P1DT12H` is "1 day 12 hours". Text that is no duration comes back as it is. */
export function durationWords(iso: string): string {
  return (
    pieces(iso)
      .map(([n, , long]) => `${n} ${long}${n === 1 ? '' : 's'}`)
      .join(' ') || iso
  );
}

/** A duration as short as a gap on the sheet: `P2D` is "2 d". */
export function durationShort(iso: string): string {
  return (
    pieces(iso)
      .map(([n, short]) => `${n} ${short}`)
      .join(' ') || iso
  );
}

/** "a, b and c". */
export function and(words: readonly string[]): string {
  return enumerate(words, 'and');
}

/** "a, b or c". */
export function or(words: readonly string[]): string {
  return enumerate(words, 'or');
}

function enumerate(words: readonly string[], link: string): string {
  const last = words.at(-1) ?? '';
  return words.length < 2 ? last : `${words.slice(0, -1).join(', ')} ${link} ${last}`;
}

/** A moment of the ruler: "Entry", "+2 h", "Day 2", "Day 2 + 3 h", and "Day 2–5" where it can vary. Both in ms since entry. */
export function momentWords(min: number, max: number): string {
  if (min === max) return instantWords(max);
  if (min > 0 && min % DAY === 0 && max % DAY === 0) return `Day ${min / DAY}–${max / DAY}`;
  return `${instantWords(min)} to ${instantWords(max).replace(/^Day/, 'day')}`;
}

function instantWords(ms: number): string {
  if (ms === 0) return 'Entry';
  const days = Math.floor(ms / DAY);
  const rest = ms % DAY;
  const hours = Math.floor(rest / HOUR);
  const minutes = Math.round((rest % HOUR) / MINUTE);
  const time = [hours ? `${hours} h` : '', minutes ? `${minutes} min` : ''].filter(Boolean).join(' ');
  if (!days) return `+${time}`;
  return time ? `Day ${days} + ${time}` : `Day ${days}`;
}

/** "1st", "2nd", "11th". */
export function ordinal(n: number): string {
  const teens = n % 100 >= 11 && n % 100 <= 13;
  return `${n}${(!teens && ['th', 'st', 'nd', 'rd'][n % 10]) || 'th'}`;
}

/** "1 204": a narrow space between thousands. */
export function number(n: number): string {
  return Math.round(n)
    .toString()
    .replace(/\B(?=(\d{3})+(?!\d))/g, '\u202f');
}

/** "16.2 %" */
export function percent(share: number, digits = 1): string {
  return `${(share * 100).toFixed(digits)} %`;
}

/** "1 person", "3 people". */
export function plural(n: number, one: string, many: string): string {
  return `${number(n)} ${n === 1 ? one : many}`;
}

/** The value of a field, as a table shows it. */
export function fieldText(value: unknown): string {
  if (value === null || value === undefined) return '';
  if (typeof value === 'boolean') return value ? 'yes' : 'no';
  return Array.isArray(value) ? value.map(String).join(', ') : String(value);
}

/** A name as the head of a column: `visits_left` is "Visits left". */
export const heading = (name: string): string => name.charAt(0).toUpperCase() + name.slice(1).replace(/_/g, ' ');
