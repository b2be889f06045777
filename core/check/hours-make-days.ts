/** A short wait that sending hours turn into days: what was meant for the same evening comes after the weekend. */
import { heldUp } from '../sheet/held-up.ts';
import { isMessage } from '../steps/index.ts';
import { duration, DAY, rulerLength } from '../time/duration.ts';
import { durationShort, durationWords } from '../tell/words.ts';
import { durationText } from '../time/duration.ts';
import { remark, type Check, type Finding } from './finding.ts';

export const hoursMakeDays: Check = (journey, steps) => {
  const held = heldUp(journey);
  return steps.flatMap(({ step, before, path }): Finding[] => {
    const previous = Number(path.at(-1)) > 0 ? before.at(-1) : undefined;
    const late = held.get(step.key) ?? 0;
    if (!isMessage(step) || previous?.kind !== 'wait' || previous.for === undefined || late < DAY) return [];
    if (rulerLength(duration(previous.for)) >= DAY) return [];
    const most = durationShort(durationText(Math.floor(late / DAY) * DAY) ?? '');
    return [
      remark(
        step.key,
        'hours-make-days',
        `The wait of ${durationWords(previous.for)} before this can become more than ${most}: sending hours hold the message.`,
        'Let it go out at other hours, or wait until a time of day.'
      )
    ];
  });
};
