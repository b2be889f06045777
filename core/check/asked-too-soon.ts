/** A branch that asks what people did with a message at the very instant it went out: everyone goes down "no". */
import { eachCondition } from '../condition/evaluate.ts';
import { isHappening } from '../condition/schema.ts';
import { kindOf, lanesOf, type Step } from '../steps/index.ts';
import type { Check, Finding } from './finding.ts';
import type { Edit } from '../edit/edit.ts';
import type { PlacedStep } from '../journey/walk-document.ts';
import { about } from './finding.ts';

/** Whether people stand still on a step. */
const stands = (step: Step): boolean => kindOf(step).lasts(step) !== null;

const waitBefore = ({ path }: PlacedStep): Edit => ({
  edit: 'wait',
  lane: path.slice(0, -1),
  index: Number(path.at(-1)),
  for: 'P2D'
});

export const askedTooSoon: Check = (_journey, steps) =>
  steps.flatMap((s): Finding[] => {
    const asked = lanesOf(s.step)
      .flatMap((lane) => (lane.when && !isHappening(lane.when) ? eachCondition(lane.when) : []))
      .flatMap((c) => ('did' in c && c.did !== 'sent' && c.of !== undefined && c.journey === undefined ? [c.of] : []));
    return [...new Set(asked)].flatMap((of) => {
      const sent = s.before.findIndex((b) => b.key === of);
      const known = steps.some((other) => other.step.key === of);
      if (sent < 0 && known) {
        return [
          about(s, {
            severity: 'remark',
            check: 'asked-elsewhere',
            text: `This branch asks about a message that nobody has had when they get here, so the answer is always no.`,
            hint: 'Ask about a message that stands before this step.'
          })
        ];
      }
      if (sent < 0 || s.before.slice(sent + 1).some(stands)) return [];
      return [
        about(s, {
          severity: 'remark',
          check: 'asked-too-soon',
          text: 'This branch asks the second after the message goes out, so almost everyone takes the last lane.',
          hint: 'Give people time before you ask.',
          fix: { label: 'Wait 2 days first', edit: waitBefore(s) }
        })
      ];
    });
  });
