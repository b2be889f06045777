/** Which happenings can mean anything to a walk: whoever hears of something asks only those. */
import { eachRule, isHappening, type HappeningOrCondition } from '../condition/schema.ts';
import { kindOf, lanesOf } from '../steps/index.ts';
import type { Journey } from './schema.ts';
import { eachStep } from './walk-document.ts';

/** What the rules of the language itself listen to (docs/journey-language.md, "Order of things", 5). */
const BUILT_IN = ['unsubscribed', 'complained', 'bounced'];

/**
 * Names of the happenings that a goal, a leave rule or a step of a journey can hear; `null` where any may count, because one
 * of these is a condition, which is looked at each time.
 */
export function wakesOf(document: Journey): ReadonlySet<string> | null {
  const names = new Set(BUILT_IN);
  const rules: HappeningOrCondition[] = [
    ...(document.goal ? eachRule(document.goal.when) : []),
    ...(document.leaveWhen ?? []).flatMap((r) => eachRule(r.when))
  ];
  for (const { step } of eachStep(document)) {
    if (!kindOf(step).hears) continue;
    if (step.kind === 'task') names.add('task_done');
    else if (step.kind === 'wait') names.add('field_changed');
    else if (step.kind === 'listen') rules.push(...lanesOf(step).flatMap((lane) => (lane.when ? [lane.when] : [])));
    else return null;
  }
  for (const rule of rules) {
    if (!isHappening(rule)) return null;
    names.add(rule.happening);
  }
  return names;
}
