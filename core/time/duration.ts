/**
 * ISO 8601 durations as the journey language uses them: `P2D`, `PT90M`, `P1DT12H`.
 *
 * A duration keeps its civil part (years, months, weeks, days: counted on the
 * calendar of a zone) apart from its exact part (hours, minutes, seconds:
 * milliseconds), because the two are added by different rules.
 */
export interface Duration {
  years: number;
  months: number;
  /** Weeks and days together, in days. */
  days: number;
  /** The exact part, in milliseconds. */
  ms: number;
}

const PATTERN = /^P(?:(\d+)Y)?(?:(\d+)M)?(?:(\d+)W)?(?:(\d+)D)?(?:T(?:(\d+)H)?(?:(\d+)M)?(?:(\d+(?:\.\d{1,3})?)S)?)?$/;

export const SECOND = 1000;
export const MINUTE = 60 * SECOND;
export const HOUR = 60 * MINUTE;
export const DAY = 24 * HOUR;

/** Time that passes, or has passed since entry, in ms as the ruler counts them: at least and at most. */
export interface Elapsed {
  min: number;
  max: number;
}

/** Later by as long as something lasts. */
export const later = (at: Elapsed, lasts: Elapsed | null): Elapsed =>
  lasts ? { min: at.min + lasts.min, max: at.max + lasts.max } : at;

/** Longer than this nothing lasts: 100 years, as {@link rulerLength} counts them. */
const LONGEST = 100 * 365 * DAY;

/**
 * Reads an ISO 8601 duration; `null` where the text is not one, is zero or longer than 100 years, or has an empty time
 * part.
 */
export function parseDuration(text: string): Duration | null {
  const m = PATTERN.exec(text);
  if (!m || text.endsWith('T')) return null;
  const n = (i: number): number => Number(m[i] ?? 0);
  const duration: Duration = {
    years: n(1),
    months: n(2),
    days: n(3) * 7 + n(4),
    ms: n(5) * HOUR + n(6) * MINUTE + Math.round(n(7) * SECOND)
  };
  const empty = !duration.years && !duration.months && !duration.days && !duration.ms;
  return empty || rulerLength(duration) > LONGEST ? null : duration;
}

/** Reads an offset: a duration that may be zero or, with a leading `-`, negative: `-P10D`, `P0D`, `-PT90M`. */
export function parseOffset(text: string): Duration | null {
  const negative = text.startsWith('-');
  const rest = text.replace(/^[+-]/, '');
  if (/^P(?:0+[YMWD])+$|^P(?:0+[YMWD])*T(?:0+[HMS])+$/.test(rest)) return { years: 0, months: 0, days: 0, ms: 0 };
  const d = parseDuration(rest);
  if (!d || !negative) return d;
  return { years: -d.years, months: -d.months, days: -d.days, ms: -d.ms };
}

/** Like {@link parseDuration}, for text a schema has already accepted; throws on anything else. */
export function duration(text: string): Duration {
  const found = parseDuration(text);
  if (!found) throw new Error(`not a duration: ${text}`);
  return found;
}

/**
 * How long a duration looks on a ruler, in milliseconds: a year as 365 days, a
 * month as 30, a day as 24 hours. For drawing and for comparing only; real
 * instants come from {@link addDuration} in `civil.ts`.
 */
export function rulerLength(d: Duration): number {
  return (d.years * 365 + d.months * 30 + d.days) * DAY + d.ms;
}

/** The shortest ISO text for a length of whole minutes, in days, hours and minutes; `null` where it is not above zero. */
export function durationText(ms: number): string | null {
  const minutes = Math.round(ms / MINUTE);
  if (minutes <= 0) return null;
  const days = Math.floor(minutes / 1440);
  const hours = Math.floor((minutes % 1440) / 60);
  const rest = minutes % 60;
  const time = (hours ? `${hours}H` : '') + (rest ? `${rest}M` : '');
  return `P${days ? `${days}D` : ''}${time ? `T${time}` : ''}`;
}

const UNITS: Record<string, 'Y' | 'M' | 'W' | 'D' | 'TH' | 'TM'> = {
  y: 'Y',
  year: 'Y',
  years: 'Y',
  mo: 'M',
  month: 'M',
  months: 'M',
  w: 'W',
  week: 'W',
  weeks: 'W',
  d: 'D',
  day: 'D',
  days: 'D',
  h: 'TH',
  hour: 'TH',
  hours: 'TH',
  m: 'TM',
  min: 'TM',
  minute: 'TM',
  minutes: 'TM'
};

/**
 * Reads a duration as a person types it: `2d`, `3 days`, `1d 12h`, `90 min`,
 * `2 weeks`, or ISO text. Returns ISO text, or `null` where it is not understood.
 */
export function typedDuration(text: string): string | null {
  const typed = text.trim().toLowerCase();
  if (parseDuration(typed.toUpperCase())) return typed.toUpperCase();
  const parts = [...typed.matchAll(/(\d+)\s*([a-z]+)/g)];
  if (!parts.length || typed.replace(/(\d+)\s*([a-z]+)/g, '').replace(/[\s,]|and/g, '') !== '') return null;
  const sums = new Map<string, number>();
  for (const [, count, word] of parts) {
    const unit = UNITS[word ?? ''];
    if (!unit) return null;
    sums.set(unit, (sums.get(unit) ?? 0) + Number(count));
  }
  const piece = (unit: string): string => (sums.get(unit) ? `${sums.get(unit)}${unit.slice(-1)}` : '');
  const date = ['Y', 'M', 'W', 'D'].map(piece).join('');
  const time = ['TH', 'TM'].map(piece).join('');
  const iso = `P${date}${time ? `T${time}` : ''}`;
  return parseDuration(iso) ? iso : null;
}
