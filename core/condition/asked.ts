/** Which steps of a walk a rule asks about. */
import { eachCondition } from './evaluate.ts';
import { isHappening, type HappeningOrCondition } from './schema.ts';

/** Keys of the messages and tasks of this very journey that a goal, leave rule or lane asks about, in their order. */
export function stepsAsked(rule: HappeningOrCondition): string[] {
  const filters = isHappening(rule) ? [rule] : eachCondition(rule).flatMap((c) => ('did' in c ? [c] : []));
  return filters.flatMap((f) => (f.of !== undefined && f.journey === undefined ? [f.of] : []));
}
