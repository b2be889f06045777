/** Renaming the keys inside a block, and everything in it that points at them. */
import { produce } from 'immer';
import type { Condition } from '../condition/schema.ts';
import { kindOf, lanesOf, type Step } from '../steps/index.ts';

/** The step with every key of `keys` renamed; references to other steps stay. */
export function repoint(step: Step, keys: ReadonlyMap<string, string>): Step {
  const renamed = (key: string): string => keys.get(key) ?? key;
  const visit = (s: Step): void => {
    s.key = renamed(s.key);
    kindOf(s).repoint?.(s, renamed);
    for (const lane of lanesOf(s)) {
      if (lane.when) repointRule(lane.when, renamed);
      lane.steps.forEach(visit);
    }
  };
  return produce(step, (draft) => visit(draft as Step));
}

/** A condition that asks about another step in the place of one. */
export function withRenamed(condition: Condition, from: string, to: string): Condition {
  return produce(condition, (draft) => repointRule(draft, (key) => (key === from ? to : key)));
}

/** Renames in place: `of` names a message or task wherever it stands in a condition or happening. */
function repointRule(rule: object, renamed: (key: string) => string): void {
  for (const [key, value] of Object.entries(rule)) {
    if (key === 'of' && typeof value === 'string' && !('journey' in rule)) Reflect.set(rule, key, renamed(value));
    else if (Array.isArray(value)) {
      for (const inner of value) if (inner !== null && typeof inner === 'object') repointRule(inner as object, renamed);
    } else if (value !== null && typeof value === 'object') repointRule(value as object, renamed);
  }
}
