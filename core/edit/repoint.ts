/** Renaming the keys inside a block, and everything in it that points at them. */
import type { Condition } from '../condition/schema.ts';
import type { Step } from '../steps/index.ts';

/** The step with every key of `keys` renamed; references to other steps stay. */
export function repoint(step: Step, keys: ReadonlyMap<string, string>): Step {
  const key = keys.get(step.key) ?? step.key;
  if (step.kind !== 'branch') return { ...step, key };
  return {
    ...step,
    key,
    lanes: step.lanes.map((l) => ({
      ...l,
      when: repointCondition(l.when, keys),
      lane: l.lane.map((s) => repoint(s, keys))
    })),
    otherwise: { ...step.otherwise, lane: step.otherwise.lane.map((s) => repoint(s, keys)) }
  };
}

function repointCondition(condition: Condition, keys: ReadonlyMap<string, string>): Condition {
  if ('all' in condition) return { all: condition.all.map((c) => repointCondition(c, keys)) };
  if ('any' in condition) return { any: condition.any.map((c) => repointCondition(c, keys)) };
  if ('did' in condition) return { ...condition, of: keys.get(condition.of) ?? condition.of };
  if ('not' in condition && !('field' in condition)) return { not: repointCondition(condition.not, keys) };
  return condition;
}
