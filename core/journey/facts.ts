/** What a journey's rules, lanes and steps use of a person. */
import { eachCondition } from '../condition/evaluate.ts';
import type { HappeningName } from '../condition/happening.ts';
import type { FactsUsed } from '../condition/facts-used.ts';
import { eachRule, isHappening, type Condition, type HappeningOrCondition } from '../condition/schema.ts';
import { kindOf, lanesOf } from '../steps/index.ts';
import type { Journey } from './schema.ts';
import { eachStep } from './walk-document.ts';

/** Every goal, leave rule, entry condition and lane of a journey that is a condition or a happening. */
export function rulesOf(document: Journey): HappeningOrCondition[] {
  const rules: HappeningOrCondition[] = [...(document.entry?.on ?? [])];
  if (document.entry?.where) rules.push(document.entry.where);
  if (document.goal) rules.push(...eachRule(document.goal.when));
  for (const rule of document.leaveWhen ?? []) rules.push(...eachRule(rule.when));
  for (const { step } of eachStep(document)) for (const lane of lanesOf(step)) if (lane.when) rules.push(lane.when);
  return rules;
}

/** Every condition a journey asks, with those inside them. */
export function conditionsOf(document: Journey): Condition[] {
  return rulesOf(document)
    .filter((r): r is Condition => !isHappening(r))
    .flatMap(eachCondition);
}

/** The facts a journey needs. */
export function factsOf(document: Journey): FactsUsed {
  const facts: FactsUsed = {
    fields: new Set(['zone']),
    tags: false,
    lists: false,
    segments: false,
    scores: new Set(),
    rungs: false,
    orders: false,
    walking: new Set(),
    did: new Set(),
    elsewhere: false,
    reactions: new Set(rulesOf(document).flatMap((r) => (isHappening(r) && r.of !== undefined ? [r.happening] : [])))
  };
  for (const c of conditionsOf(document)) {
    if ('did' in c) {
      if (c.of === undefined) facts.did.add(c.did);
      else {
        facts.reactions.add(c.did);
        if (c.journey !== undefined && c.journey !== document.key) facts.elsewhere = true;
      }
    } else if ('came' in c || 'all' in c || 'any' in c) continue;
    else if ('field' in c) facts.fields.add(c.field);
    else if ('score' in c) facts.scores.add(c.score);
    else if ('tag' in c) facts.tags = true;
    else if ('list' in c) facts.lists = true;
    else if ('segment' in c) facts.segments = true;
    else if ('rung' in c) facts.rungs = true;
    else if ('spent' in c || 'orders' in c) facts.orders = true;
    else if ('walking' in c) facts.walking.add(c.walking);
  }
  for (const { step } of eachStep(document)) kindOf(step).reads(step, facts);
  const date = document.entry?.date;
  if (date && 'field' in date) facts.fields.add(date.field);
  return facts;
}

/** Names of the happenings that a journey's rules, lanes and conditions ask about. */
export function happeningsHeard(document: Journey): Set<HappeningName> {
  const { did, reactions } = factsOf(document);
  return new Set([...did, ...reactions, ...rulesOf(document).flatMap((r) => (isHappening(r) ? [r.happening] : []))]);
}
