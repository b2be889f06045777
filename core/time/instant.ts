/** Instants: UTC to the millisecond, as numbers inside and ISO 8601 text outside. */

const FIRST = Date.parse('0001-01-01T00:00:00Z');

/** Reads an ISO 8601 instant with a zone (`Z` or an offset), from the year 1 on, into UTC ms; `null` where it is not one. */
export function parseInstant(text: string): number | null {
  if (!/^\d{4}-\d{2}-\d{2}T\d{2}:\d{2}(?::\d{2}(?:\.\d{1,9})?)?(?:Z|[+-]\d{2}:\d{2})$/.test(text)) return null;
  const at = Date.parse(text);
  // There is no year 0 in the calendar that databases keep.
  if (Number.isNaN(at) || at < FIRST) return null;
  // Date.parse lets 31 February roll over; the day as written must be a real one.
  const day = new Date(`${text.slice(0, 10)}T00:00:00Z`);
  return !Number.isNaN(day.getTime()) && day.toISOString().slice(0, 10) === text.slice(0, 10) ? at : null;
}

const DAY = 86_400_000;
const days = new Map<number, string>();
const TWO = Array.from({ length: 60 }, (_, n) => String(n).padStart(2, '0'));

/** UTC ms as ISO text with milliseconds. Days are written once: a trail names few days and many instants. */
export function instantText(at: number): string {
  const day = Math.floor(at / DAY);
  let date = days.get(day);
  if (date === undefined) {
    date = new Date(at).toISOString().slice(0, -13);
    if (days.size > 5000) days.clear();
    days.set(day, date);
  }
  const ms = at - day * DAY;
  const rest = ms % 1000;
  const seconds = (ms - rest) / 1000;
  const minutes = Math.floor(seconds / 60);
  return `${date}${TWO[Math.floor(minutes / 60)]}:${TWO[minutes % 60]}:${TWO[seconds % 60]}.${rest < 10 ? '00' : rest < 100 ? '0' : ''}${rest}Z`;
}
