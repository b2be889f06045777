/** The words of a gap: its waits, as short as they can be. */
import { untilWords, type WaitStep } from '../steps/wait.ts';
import { durationShort } from '../tell/words.ts';
import type { Anchor } from './anchor.ts';
import { parseDuration } from '../time/duration.ts';

/** Px that a letter of a gap takes on average, and what stands around the words. */
const LETTER = 6.7;
const AROUND = 26;

/** "2 d", "until Fri 16:00"; of the date that the ruler counts from only how far: "2 d before". */
export function waitShort({ for: length, until }: WaitStep, anchor: Anchor | null): string {
  if (!until) return durationShort(length ?? '');
  if (!('field' in until) || until.field !== anchor?.field) {
    if ('field' in until && until.offset) {
      const far = until.offset.replace(/^[+-]/, '');
      if (parseDuration(far))
        return untilWords(until).replace(/until .*? (before|after)/, `until ${durationShort(far)} $1`);
    }
    return untilWords(until);
  }
  const time = until.time === undefined ? '' : `, ${until.time}`;
  const far = until.offset?.replace(/^[+-]/, '') ?? '';
  if (!parseDuration(far)) return `until the day${time}`;
  return `until ${durationShort(far)} ${until.offset?.startsWith('-') ? 'before' : 'after'}${time}`;
}

export const gapWords = (waits: readonly WaitStep[], anchor: Anchor | null): string =>
  waits.map((w) => waitShort(w, anchor)).join(' + ');

/** Room that the words of a gap need, in px. */
export const gapRoom = (waits: readonly WaitStep[], anchor: Anchor | null): number =>
  waits.length ? gapWords(waits, anchor).length * LETTER + AROUND : 0;
