/** Tags that are put on and read nowhere, and tags that are read and put on by nothing and nobody. */
import { eachCondition } from '../condition/evaluate.ts';
import { isHappening, type Condition } from '../condition/schema.ts';
import { rulesOf } from '../journey/facts.ts';
import type { Journey } from '../journey/schema.ts';
import { eachStep } from '../journey/walk-document.ts';
import { remark, type Check, type Finding } from './finding.ts';

const put = (j: Journey): string[] => eachStep(j).flatMap(({ step }) => (step.kind === 'tag' ? (step.add ?? []) : []));
const asked = (conditions: Condition[]): string[] =>
  conditions.flatMap((c) =>
    'tag' in c && !('did' in c) && !('came' in c) && typeof c.tag === 'string' ? [c.tag] : []
  );
function read(j: Journey): string[] {
  const rules = rulesOf(j);
  return [
    ...rules.flatMap((r) => (isHappening(r) ? (r.tag === undefined ? [] : [r.tag]) : asked(eachCondition(r)))),
    ...eachStep(j).flatMap(({ step }) => (step.kind === 'tag' ? [...(step.remove ?? [])] : []))
  ];
}

export const tagUnread: Check = (journey, steps, { journeys, settings }) => {
  if (!journeys || settings === undefined) return [];
  const segments = (settings?.segments ?? []).flatMap((s) => asked(eachCondition(s.when)));
  const known = new Set([...segments, ...[journey, ...journeys.map((j) => j.document)].flatMap(read)]);
  // A workspace in which nothing reads any tag uses them to look people up.
  if (!known.size) return [];
  return steps.flatMap(({ step }): Finding[] =>
    step.kind === 'tag'
      ? (step.add ?? [])
          .filter((tag) => tag !== '' && !known.has(tag))
          .map((tag) =>
            remark(
              step.key,
              'tag-unread',
              `Nothing reads the tag ${tag}: no journey and no segment asks for it.`,
              'Use it, or leave it out.'
            )
          )
      : []
  );
};

export const tagUnset: Check = (journey, _steps, { journeys, tags }) => {
  if (!journeys || !tags) return [];
  const known = new Set([...tags, ...[journey, ...journeys.map((j) => j.document)].flatMap(put)]);
  const missing = [...new Set(read(journey))].filter((tag) => tag !== '' && !known.has(tag));
  return missing.map((tag) =>
    remark(
      null,
      'tag-unset',
      `Nobody has the tag ${tag}, and no journey puts it on.`,
      'Look whether it is spelt so, or put it on somewhere.'
    )
  );
};
