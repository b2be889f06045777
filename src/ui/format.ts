/** Figures and instants as text, in one style for the whole application. */
import { getContext, setContext } from 'svelte';

const KEY = 'zone';

/** Instants are UTC ms, shown in one zone: the workspace's. */
export class Format {
  private readonly cache = new Map<string, Intl.DateTimeFormat>();

  constructor(readonly zone: string) {}

  private parts(at: number, options: Intl.DateTimeFormatOptions, zone = this.zone): Record<string, string> {
    const key = zone + JSON.stringify(options);
    let format = this.cache.get(key);
    if (!format) this.cache.set(key, (format = new Intl.DateTimeFormat('en-GB', { ...options, timeZone: zone })));
    return Object.fromEntries(format.formatToParts(at).map((p) => [p.type, p.value]));
  }

  /** "Mon 1 Mar 09:40" */
  dateTime(at: number): string {
    return `${this.date(at)} ${this.time(at)}`;
  }

  /** "Mon 1 Mar" */
  date(at: number): string {
    const p = this.parts(at, { weekday: 'short', day: 'numeric', month: 'short' });
    return `${p['weekday']} ${p['day']} ${p['month']?.slice(0, 3)}`;
  }

  /** "Mon 1 Mar 2027" */
  fullDate(at: number): string {
    return `${this.date(at)} ${this.parts(at, { year: 'numeric' })['year']}`;
  }

  /** "Monday 1 March" */
  longDate(at: number): string {
    const p = this.parts(at, { weekday: 'long', day: 'numeric', month: 'long' });
    return `${p['weekday']} ${p['day']} ${p['month']}`;
  }

  /** "09:40"; with a zone of their own where a person's differs. */
  time(at: number, zone?: string): string {
    const p = this.parts(at, { hour: '2-digit', minute: '2-digit', hourCycle: 'h23' }, zone);
    return `${p['hour']}:${p['minute']}`;
  }
}

export function provideFormat(zone: string): Format {
  return setContext(KEY, new Format(zone));
}

export function useFormat(): Format {
  return getContext<Format>(KEY);
}
