/** Lanes of one branch that ask the same, or of which an earlier one takes all that a later one asks for. */
import type { Condition } from '../condition/schema.ts';
import { remark, type Check, type Finding } from './finding.ts';

const text = (c: Condition): string => JSON.stringify(c);

/** Whether whoever meets `later` meets `earlier` too, by their own logic: `false` where that cannot be told. */
function implies(later: Condition, earlier: Condition): boolean {
  if (text(later) === text(earlier)) return true;
  if ('any' in later) return later.any.every((part) => implies(part, earlier));
  if ('all' in earlier) return earlier.all.every((part) => implies(later, part));
  if ('any' in earlier) return earlier.any.some((part) => implies(later, part));
  return 'all' in later && later.all.some((part) => implies(part, earlier));
}

export const sameQuestion: Check = (_journey, steps) =>
  steps.flatMap(({ step }): Finding[] => {
    if (step.kind === 'branch' && step.by === 'values') {
      const seen = new Map<string, string>();
      return step.lanes.flatMap(({ label, values }) =>
        values.flatMap((value) => {
          const before = seen.get(String(value).toLowerCase());
          seen.set(String(value).toLowerCase(), label);
          return before === undefined || before === label
            ? []
            : [
                remark(
                  step.key,
                  'same-question',
                  `“${String(value)}” stands on two lanes: everyone who has it takes “${before}”, nobody “${label}”.`,
                  'Take it off one of them.'
                )
              ];
        })
      );
    }
    if (step.kind !== 'branch' || step.by !== 'rules') return [];
    return step.lanes.flatMap((lane, i) => {
      const earlier = step.lanes.slice(0, i).find((other) => implies(lane.when, other.when));
      return earlier
        ? [
            remark(
              step.key,
              'same-question',
              `Nobody takes the lane “${lane.label}”: whoever it asks for has taken “${earlier.label}” before.`,
              'Ask for the narrower first, or take one lane away.'
            )
          ]
        : [];
    });
  });
