/** Loops that have no limit, and loops that go round without a pause. */
import { isOff, lastsOf, type Step, lanesOf } from '../steps/index.ts';
import { eachStep } from '../journey/walk-document.ts';
import { remark, type Check, type Finding } from './finding.ts';

export const loopForever: Check = (_journey, steps) =>
  steps.flatMap(({ step }): Finding[] =>
    step.kind === 'loop' && step.atMost === undefined
      ? [
          remark(
            step.key,
            'loop-forever',
            'This loop has no limit: whoever does nothing goes round for ever.',
            'Say how often at most.',
            {
              label: 'At most 2 times',
              edit: { edit: 'patch', key: step.key, set: { atMost: 2 } }
            }
          )
        ]
      : []
  );

/** Whether people stand still somewhere in a step. */
const pauses = (step: Step): boolean =>
  !isOff(step) && (lastsOf(step) !== null || lanesOf(step).some((l) => l.after !== undefined || l.steps.some(pauses)));

export const loopAtOnce: Check = (_journey, steps) =>
  steps.flatMap(({ step, before }): Finding[] => {
    if (step.kind !== 'loop') return [];
    const from = before.findIndex((s) => s.key === step.to);
    if (from < 0 || before.slice(from).some((s) => pauses({ ...s }))) return [];
    const messages = eachStep({ lane: before.slice(from) }).some(
      (s) => s.step.kind === 'email' || s.step.kind === 'sms'
    );
    return messages
      ? [
          remark(
            step.key,
            'loop-at-once',
            'This loop goes back at once: the messages in it go out one after the other.',
            'Wait before it.'
          )
        ]
      : [];
  });
