/** Steps that are off: everyone passes them over, which is easily forgotten. */
import { isOff } from '../steps/index.ts';
import { about, type Check } from './finding.ts';

export const turnedOff: Check = (_journey, steps) =>
  steps
    .filter(({ step }) => isOff(step))
    .map((s) =>
      about(s, {
        severity: 'remark',
        check: 'turned-off',
        text: 'This step is off: everyone passes it over.',
        hint: 'Turn it on again, or delete it.',
        fix: { label: 'Turn it on again', edit: { edit: 'patch', key: s.step.key, set: { off: undefined } } }
      })
    );
