/** What a journey names that has to be there already: for whoever brings one from elsewhere. */
import { eachCondition } from '../condition/evaluate.ts';
import { isHappening } from '../condition/schema.ts';
import { factsOf, rulesOf } from './facts.ts';
import type { Journey } from './schema.ts';
import { eachStep } from './walk-document.ts';

export interface Needs {
  fields: string[];
  tags: string[];
  lists: string[];
  segments: string[];
  journeys: string[];
}

export function needsOf(document: Journey): Needs {
  const tags = new Set<string>();
  const lists = new Set<string>();
  const segments = new Set<string>();
  const journeys = new Set<string>();
  const take = (named: {
    tag?: unknown;
    list?: unknown;
    segment?: unknown;
    journey?: unknown;
    walking?: unknown;
  }): void => {
    for (const [set, name] of [
      [tags, named.tag],
      [lists, named.list],
      [segments, named.segment],
      [journeys, named.journey ?? named.walking]
    ] as const)
      if (typeof name === 'string' && name !== '') set.add(name);
  };
  for (const rule of rulesOf(document))
    for (const c of isHappening(rule) ? [rule] : eachCondition(rule)) take(c as object);
  for (const { step } of eachStep(document)) if (step.kind === 'handover') journeys.add(step.journey);
  journeys.delete(document.key);
  const sorted = (set: Iterable<string>): string[] => [...set].sort();
  return {
    fields: sorted([...factsOf(document).fields].filter((f) => f !== '' && f !== 'zone')),
    tags: sorted(tags),
    lists: sorted(lists),
    segments: sorted(segments),
    journeys: sorted(journeys)
  };
}
