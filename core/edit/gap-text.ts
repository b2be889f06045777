/**
 * What is typed into a gap: a duration (`2d`, `1 day 4 h`), the day the next step should fall on (`=day 5`, `=5`), or an
 * instant to wait for (`fri 16:00`, `12 May`, `2d before visit`); several one after the other with a `+` between them.
 */
import { DAY, durationText, typedDuration, type Elapsed } from '../time/duration.ts';
import type { Until, WaitStep } from '../steps/wait.ts';
import { durationShort } from '../tell/words.ts';
import { typedUntil, untilText, type TypedAround } from './typed-until.ts';

/** One wait of a gap. */
export type GapWait = { for: string } | { until: Until };
export type GapText = { waits: GapWait[] } | { problem: string };

const HOW =
  'type a length such as 2d or 3 h, a day such as =day 5, or an instant such as fri 16:00, 12 May, 2d before a date';

/** `before` is the elapsed time when a walk comes to the gap. Empty text or 0 means no wait. */
export function readGapText(text: string, before: Elapsed, around: TypedAround = {}): GapText {
  const typed = text.trim();
  const none = /^0+\s*([a-z]*)$/i.exec(typed);
  // Nothing of a unit that is one: "0foo" is a slip of the keys, and takes nothing away.
  if (typed === '' || (none && (none[1] === '' || typedDuration(`1 ${none[1]}`)))) return { waits: [] };
  const day = /^=\s*(?:day\s*)?(\d{1,5})$/i.exec(typed);
  if (day) {
    const target = Number(day[1]) * DAY;
    if (target < before.max) {
      return { problem: `people come here on day ${Math.floor(before.max / DAY)} already` };
    }
    const length = durationText(target - before.max);
    return { waits: length ? [{ for: length }] : [] };
  }
  const waits: GapWait[] = [];
  for (const part of typed.split('+')) {
    const length = typedDuration(part);
    const until = length ? null : typedUntil(part, around);
    if (length) waits.push({ for: length });
    else if (!until) return { problem: HOW };
    else if ('problem' in until) return until;
    else waits.push(until);
  }
  return { waits };
}

/** What would be typed for the waits that stand in a gap. */
export const gapText = (waits: readonly WaitStep[]): string =>
  waits.map((w) => (w.until ? untilText(w.until) : durationShort(w.for ?? '').replace(/ /g, ''))).join(' + ');
