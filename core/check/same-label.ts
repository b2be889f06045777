/** Two lanes of one step with the same label: nobody can tell them apart, and figures count them together. */
import { lanesOf } from '../steps/index.ts';
import type { Check, Finding } from './finding.ts';
import { about } from './finding.ts';

export const sameLabel: Check = (_journey, steps) =>
  steps.flatMap((s): Finding[] => {
    const labels = lanesOf(s.step).map((lane) => lane.label);
    const twice = new Set(labels.filter((label, i) => labels.indexOf(label) !== i));
    return [...twice].map((label) =>
      about(s, {
        severity: 'blocker',
        check: 'same-label',
        text: `Two lanes are both called “${label}”: the trail and the figures could not tell them apart.`,
        hint: 'Give each lane a label of its own.'
      })
    );
  });
