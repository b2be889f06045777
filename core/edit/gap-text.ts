/**
 * What is typed into a gap: a duration (`2d`, `1 day 4 h`) or the day the next
 * step should fall on (`=day 5`, `=5`).
 */
import { DAY, durationText, typedDuration, type Elapsed } from '../time/duration.ts';

export type GapText = { for: string | null } | { problem: string };

/** `before` is the elapsed time when a walk comes to the gap. Empty text or 0 means no wait. */
export function readGapText(text: string, before: Elapsed): GapText {
  const typed = text.trim();
  const none = /^0+\s*([a-z]*)$/i.exec(typed);
  // Nothing of a unit that is one: "0foo" is a slip of the keys, and takes nothing away.
  if (typed === '' || (none && (none[1] === '' || typedDuration(`1 ${none[1]}`)))) return { for: null };
  const day = /^=\s*(?:day\s*)?(\d{1,5})$/i.exec(typed);
  if (day) {
    const target = Number(day[1]) * DAY;
    if (target < before.max) {
      return { problem: `people come here on day ${Math.floor(before.max / DAY)} already` };
    }
    return { for: durationText(target - before.max) };
  }
  const length = typedDuration(typed);
  return length ? { for: length } : { problem: 'type a length such as 2d or 3 h, or a day such as =day 5' };
}
