/** Steps that stand behind one that nobody gets past: a leaving, a hand-over, a branch of which every lane ends. */
import { isOff, kindOf, lanesOf, type Step } from '../steps/index.ts';
import { remark, type Check, type Finding } from './finding.ts';

/** Whether nobody comes out behind a step. */
function ends(step: Step): boolean {
  if (isOff(step)) return false;
  if (kindOf(step).ends || (step.kind === 'handover' && !step.stay)) return true;
  const lanes = lanesOf(step);
  return lanes.length > 0 && lanes.every((lane) => lane.steps.some(ends));
}

export const neverReached: Check = (_journey, steps) =>
  steps.flatMap(({ step, before, path }): Finding[] => {
    // The first of what comes behind is told; what stands inside or behind that goes with it.
    const index = Number(path.at(-1));
    const own = before.slice(before.length - index);
    const last = own.at(-1);
    if (!last || !ends(last) || own.slice(0, -1).some(ends)) return [];
    return [
      remark(
        step.key,
        'never-reached',
        `Nobody gets here: everyone has left at “${kindOf(last).card(last).title}”.`,
        'Move it before that step, or delete it.',
        { label: 'Delete this step', edit: { edit: 'remove', key: step.key } }
      )
    ];
  });
