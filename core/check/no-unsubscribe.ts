/** An email that is no service message and gives nobody a way out. */
import { remark, type Check, type Finding } from './finding.ts';

export const noUnsubscribe: Check = (_journey, steps) =>
  steps.flatMap(({ step }): Finding[] =>
    step.kind === 'email' && step.unsubscribe === false && !step.service
      ? [
          remark(
            step.key,
            'no-unsubscribe',
            'This email has no link to unsubscribe with, and is no ticket or receipt.',
            'Give it one; without it people complain instead.',
            { label: 'Put the link in', edit: { edit: 'patch', key: step.key, set: { unsubscribe: undefined } } }
          )
        ]
      : []
  );
