/** A lane that waits for something which has taken people out of the journey by then: the goal, or a leaving rule. */
import { eachRule } from '../condition/schema.ts';
import { lanesOf } from '../steps/index.ts';
import { remark, type Check, type Finding } from './finding.ts';

export const endedBefore: Check = (journey, steps) => {
  const out: [rule: object, what: string][] = [
    ...(journey.goal && (journey.goal.leave ?? true)
      ? eachRule(journey.goal.when).map((r): [object, string] => [r, 'the goal'])
      : []),
    ...(journey.leaveWhen ?? []).flatMap(({ when, reason }) =>
      eachRule(when).map((r): [object, string] => [r, `the leaving rule “${reason}”`])
    )
  ];
  const ending = new Map(out.map(([rule, what]) => [JSON.stringify(rule), what]));
  return steps.flatMap(({ step }): Finding[] =>
    lanesOf(step).flatMap(({ when, label, steps: inside }) => {
      const what = when && ending.get(JSON.stringify(when));
      return what && inside.length
        ? [
            remark(
              step.key,
              'ended-before',
              `Nobody takes the lane “${label}”: ${what} says the same, so whoever it is has left by then.`,
              'Let the goal keep people in, or do there what this lane is for.'
            )
          ]
        : [];
    })
  );
};
