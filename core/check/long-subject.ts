/** A subject that is cut off in most lists of mails. */
import { remark, type Check, type Finding } from './finding.ts';

const SHOWN = 70;

export const longSubject: Check = (_journey, steps) =>
  steps.flatMap(({ step }): Finding[] => {
    if (step.kind !== 'email' || !step.subject) return [];
    const length = [...step.subject.replace(/\{\{[\s\S]*?\}\}/g, 'xxxxxxxx')].length;
    return length > SHOWN
      ? [
          remark(
            step.key,
            'long-subject',
            `This subject has ${length} characters: most people see the first ${SHOWN}.`,
            'Say what matters first, and less.'
          )
        ]
      : [];
  });
