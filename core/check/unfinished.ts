/** Steps that say nothing yet, and journeys with nothing in them. */
import { eachCondition } from '../condition/evaluate.ts';
import type { HappeningFilter } from '../condition/happening.ts';
import { eachRule, isHappening, type Condition } from '../condition/schema.ts';
import { kindOf, lanesOf } from '../steps/index.ts';
import type { Check, Finding } from './finding.ts';
import { about } from './finding.ts';

export const emptyJourney: Check = (journey) =>
  journey.lane.length
    ? []
    : [
        {
          severity: 'blocker',
          check: 'empty-journey',
          step: null,
          text: 'This journey has no steps.',
          hint: 'Put the first step on the sheet.'
        }
      ];

export const unchosen: Check = (_journey, steps) =>
  steps.flatMap((s): Finding[] => {
    const { step } = s;
    const say = (text: string, hint: string): Finding[] => [
      about(s, { severity: 'blocker', check: 'unchosen', text, hint })
    ];
    const lacks = kindOf(step).lacks(step);
    if (lacks) return say(...lacks);
    return lanesOf(step)
      .filter(({ when }) => when && (isHappening(when) ? namesNothing(when) : isBlank(when)))
      .flatMap((lane) => say(`The lane “${lane.label}” asks nothing yet.`, 'Choose what it asks.'));
  });

export const unchosenRules: Check = (journey) => {
  const reasons = [...(journey.goal ? [journey.goal] : []), ...(journey.leaveWhen ?? [])].flatMap((r) =>
    eachRule(r.when)
  );
  const blank = reasons.some((r) => (isHappening(r) ? namesNothing(r) : isBlank(r)));
  const where = journey.entry?.where && isBlank(journey.entry.where);
  const on = journey.entry?.on?.some(namesNothing);
  if (!blank && !where && !on) return [];
  return [
    {
      severity: 'blocker',
      check: 'unchosen',
      step: null,
      text: 'A rule of this journey names nothing yet.',
      hint: 'Choose what it asks, or remove it.'
    }
  ];
};

/** Whether a happening is about something that is not chosen yet. */
const namesNothing = (h: HappeningFilter): boolean => [h.of, h.tag, h.list, h.segment, h.field].includes('');

/** Whether some question inside names nothing: no tag, no field, no message. */
export function isBlank(condition: Condition): boolean {
  return eachCondition(condition).some(
    (c) =>
      ('tag' in c && c.tag === '') ||
      ('list' in c && c.list === '') ||
      ('segment' in c && c.segment === '') ||
      ('score' in c && c.score === '') ||
      ('field' in c && c.field === '') ||
      ('did' in c && c.of === '')
  );
}
