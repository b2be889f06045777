/** A field that nobody has: a rule that asks for it is never met, a wait for it never waits. */
import { conditionsOf } from '../journey/facts.ts';
import { remark, type Check, type Finding } from './finding.ts';

export const unknownField: Check = (journey, steps, { fields, settings }) => {
  if (!fields) return [];
  const set = steps.flatMap(({ step }) => (step.kind === 'field' ? Object.keys(step.set) : []));
  const known = new Set([...fields, ...set, ...(settings?.fields ?? []).map((f) => f.name)]);
  const say = (step: string | null, field: string, what: string): Finding[] =>
    known.has(field) || field === ''
      ? []
      : [
          remark(
            step,
            'unknown-field',
            `Nobody has the field ${field}: ${what}.`,
            'Look whether it is spelt so; a field comes with an import or a field step.'
          )
        ];
  const date = journey.entry?.date;
  const asked = new Set(
    conditionsOf(journey).flatMap((c) => ('field' in c && typeof c.field === 'string' ? [c.field] : []))
  );
  return [
    ...(date && 'field' in date ? say(null, date.field, 'nobody gets in by it') : []),
    ...[...asked].flatMap((field) => say(null, field, 'what asks for it is not met')),
    ...steps.flatMap(({ step }) => {
      if (step.kind === 'wait' && step.until && 'field' in step.until)
        return say(step.key, step.until.field, 'nobody waits for it');
      if (step.kind === 'branch' && step.by !== 'rules' && 'field' in step.of)
        return say(step.key, step.of.field, 'everybody takes the last lane');
      return [];
    })
  ];
};
