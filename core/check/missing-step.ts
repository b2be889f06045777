/** A lane that asks about a step that is not in the journey, as one copied from elsewhere does. */
import { stepsAsked } from '../condition/asked.ts';
import { isHappening, type HappeningOrCondition } from '../condition/schema.ts';
import { withRenamed } from '../edit/repoint.ts';
import type { PlacedStep } from '../journey/walk-document.ts';
import { isMessage, kindOf, lanesOf } from '../steps/index.ts';
import { about, type Check, type Finding, type Fix } from './finding.ts';

export const missingStep: Check = (_journey, steps) => {
  const known = new Set(steps.map(({ step }) => step.key));
  return steps.flatMap((s): Finding[] =>
    lanesOf(s.step).flatMap(({ label, when }, place) => {
      if (!when) return [];
      const gone = new Set(stepsAsked(when).filter((key) => key !== '' && !known.has(key)));
      return [...gone].map((key) => {
        const fix = askNearest(s, place, when, key);
        return about(s, {
          severity: 'blocker',
          check: 'missing-step',
          text: `The lane “${label}” asks about “${key}”, which is not in this journey.`,
          hint: 'Choose what stands before it.',
          ...(fix ? { fix } : {})
        });
      });
    })
  );
};

/** Asks about the nearest message instead: the last email before the step, else the last text. */
function askNearest({ step, before }: PlacedStep, place: number, when: HappeningOrCondition, gone: string): Fix | null {
  if (step.kind !== 'branch' || step.by !== 'rules' || isHappening(when)) return null;
  const messages = before.filter(isMessage);
  const nearest = messages.findLast((m) => m.kind === 'email') ?? messages.at(-1);
  if (!nearest) return null;
  return {
    label: `Ask about ${kindOf(nearest).card(nearest).title} instead`,
    edit: { edit: 'patch-lane', key: step.key, place, when: withRenamed(when, gone, nearest.key) }
  };
}
