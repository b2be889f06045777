/** In a journey that begins at a date of theirs: a wait for an instant before the time at which people come to it. */
import { anchorOf, isPassed } from '../sheet/anchor.ts';
import { layoutSheet } from '../sheet/layout.ts';
import { untilWords } from '../steps/wait.ts';
import { remark, type Check, type Finding } from './finding.ts';

export const passedByThen: Check = (journey) => {
  const anchor = anchorOf(journey);
  if (!anchor) return [];
  return layoutSheet(journey.lane, undefined, anchor).gaps.flatMap((gap) => {
    const wait = gap.waits[0];
    return wait?.until && isPassed(wait, gap.before, anchor)
      ? [
          remark(
            wait.key,
            'passed-by-then',
            `Nobody waits ${untilWords(wait.until)}: it has passed when people come here.`,
            'Let people enter earlier, or wait for something later.'
          )
        ]
      : [];
  }) satisfies Finding[];
};
