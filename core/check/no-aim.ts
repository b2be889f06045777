/** Lanes whose messages ask their readers for nothing, in a journey whose other messages say what they are for. */
import { isMessage, lanesOf } from '../steps/index.ts';
import { stepsOf } from '../journey/walk-document.ts';
import { remark, type Check, type Finding } from './finding.ts';

export const noAim: Check = (_journey, steps) => {
  // Whoever writes no aims at all does not miss one.
  if (!steps.some(({ step }) => isMessage(step) && step.aim)) return [];
  return steps.flatMap(({ step }) =>
    lanesOf(step).flatMap(({ label, steps: lane }): Finding[] => {
      const messages = stepsOf(lane).filter(isMessage);
      return messages.length && !messages.some((m) => m.aim)
        ? [
            remark(
              step.key,
              'no-aim',
              `No message on the lane “${label}” says what it should bring about.`,
              'Write an aim for one of them, or ask whether this lane is needed.'
            )
          ]
        : [];
    })
  );
};
