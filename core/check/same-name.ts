/** Two steps of one name: in every list they cannot be told apart. */
import { remark, type Check } from './finding.ts';

export const sameName: Check = (_journey, steps) => {
  const seen = new Map<string, string>();
  return steps.flatMap(({ step }) => {
    const name = step.name?.trim().toLowerCase();
    if (!name) return [];
    const before = seen.get(`${step.kind} ${name}`);
    seen.set(`${step.kind} ${name}`, step.key);
    return before === undefined
      ? []
      : [
          remark(
            step.key,
            'same-name',
            `Another ${step.kind} is called “${step.name}” too.`,
            'Give one of them another name.'
          )
        ];
  });
};
