/** A journey of several messages whose goal lets nobody out, with no other rule that does. */
import { isMessage } from '../steps/index.ts';
import { remark, type Check } from './finding.ts';

/** Up to so many messages are soon over. */
const FEW = 2;

export const nobodyLeaves: Check = (journey, steps) =>
  journey.goal &&
  journey.goal.leave === false &&
  !journey.leaveWhen?.length &&
  steps.filter(({ step }) => isMessage(step)).length > FEW
    ? [
        remark(
          null,
          'nobody-leaves',
          'Those who reach the goal stay, and no rule lets anybody out: they get every message that asks them for what they have done.',
          'Let them leave when they reach the goal, or add a leaving rule.',
          {
            label: 'They leave at the goal',
            edit: { edit: 'journey', set: { goal: { ...journey.goal, leave: true } } }
          }
        )
      ]
    : [];
