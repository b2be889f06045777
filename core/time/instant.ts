/** Instants: UTC to the millisecond, as numbers inside and ISO 8601 text outside. */

/** Reads an ISO 8601 instant with a zone (`Z` or an offset) into UTC ms; `null` where it is not one. */
export function parseInstant(text: string): number | null {
  if (!/^\d{4}-\d{2}-\d{2}T\d{2}:\d{2}(:\d{2}(\.\d{1,9})?)?(Z|[+-]\d{2}:\d{2})$/.test(text)) return null;
  const at = Date.parse(text);
  if (Number.isNaN(at)) return null;
  // Date.parse lets 31 February roll over; the day as written must be a real one.
  const day = new Date(`${text.slice(0, 10)}T00:00:00Z`);
  return !Number.isNaN(day.getTime()) && day.toISOString().slice(0, 10) === text.slice(0, 10) ? at : null;
}

/** UTC ms as ISO text with milliseconds. */
export function instantText(at: number): string {
  return new Date(at).toISOString();
}
