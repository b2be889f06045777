/** A message that names the date the journey counts to, and goes out when that is over. */
import { anchorOf } from '../sheet/anchor.ts';
import { layoutSheet } from '../sheet/layout.ts';
import { isMessage } from '../steps/index.ts';
import { DAY } from '../time/duration.ts';
import { wordsOf } from './message-words.ts';
import { remark, type Check, type Finding } from './finding.ts';

/** Words of something that is still to come. */
const TO_COME =
  /\b(tomorrow|is coming|coming up|see you (?:on|at|there)|don['’]t forget|do not forget|remember to come)\b/i;

export const afterTheDate: Check = (journey) => {
  const anchor = anchorOf(journey);
  if (!anchor) return [];
  return layoutSheet(journey.lane, undefined, anchor).cards.flatMap(({ step, elapsed, moment }): Finding[] =>
    isMessage(step) && elapsed.min + anchor.entry >= DAY && TO_COME.test(wordsOf(step))
      ? [
          remark(
            step.key,
            'after-the-date',
            `This message speaks of something to come, and goes out ${moment.toLowerCase()}: ${anchor.field} is over by then.`,
            'Send it before the date, or write of what was.'
          )
        ]
      : []
  );
};
