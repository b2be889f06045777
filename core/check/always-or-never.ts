/** Conditions that nobody can meet, or that everybody meets, by their own logic. */
import { eachCondition } from '../condition/evaluate.ts';
import { eachRule, isHappening, type Condition } from '../condition/schema.ts';
import { lanesOf } from '../steps/index.ts';
import { remark, type Check, type Finding } from './finding.ts';

const negated = (c: Condition): string | null =>
  'not' in c && !('field' in c) && !('score' in c) ? JSON.stringify(c.not) : null;

/** Bounds of one field or score among questions that all have to be met. */
function contradicts(parts: Condition[]): boolean {
  const bounds = new Map<string, { low: number; high: number; is: Set<string> }>();
  for (const part of parts) {
    const name = 'field' in part ? `f ${part.field}` : 'score' in part ? `s ${part.score}` : null;
    if (name === null) continue;
    const b = bounds.get(name) ?? { low: -Infinity, high: Infinity, is: new Set<string>() };
    bounds.set(name, b);
    const { gt, gte, lt, lte, is } = part as { gt?: number; gte?: number; lt?: number; lte?: number; is?: unknown };
    // One that is not included is as good as a hair above it.
    b.low = Math.max(
      b.low,
      gte ?? -Infinity,
      gt === undefined ? -Infinity : gt + Number.EPSILON * Math.max(1, Math.abs(gt))
    );
    b.high = Math.min(
      b.high,
      lte ?? Infinity,
      lt === undefined ? Infinity : lt - Number.EPSILON * Math.max(1, Math.abs(lt))
    );
    if (is !== undefined && !Array.isArray(is))
      b.is.add(JSON.stringify(typeof is === 'string' ? is.toLowerCase() : is));
  }
  return [...bounds.values()].some((b) => b.low > b.high || b.is.size > 1);
}

/** What a condition comes to by its own logic; `null`: that depends on the person. */
export function fate(condition: Condition): 'never' | 'always' | null {
  for (const c of eachCondition(condition)) {
    const [parts, all] = 'all' in c ? [c.all, true] : 'any' in c ? [c.any, false] : [[], false];
    const texts = new Set(parts.map((p) => JSON.stringify(p)));
    const opposed = parts.some((p) => texts.has(negated(p) ?? ''));
    if (all && c === condition && (opposed || contradicts(parts))) return 'never';
    if (!all && c === condition && opposed) return 'always';
  }
  return null;
}

export const alwaysOrNever: Check = (journey, steps) => {
  const say = (step: string | null, what: string, condition: Condition): Finding[] => {
    const found = fate(condition);
    if (!found) return [];
    const text =
      found === 'never'
        ? `Nobody can meet ${what}: it contradicts itself.`
        : `Everybody meets ${what}: it asks for something or its opposite.`;
    return [remark(step, 'always-or-never', text, 'Look at its parts again.')];
  };
  return [
    ...(journey.entry?.where ? say(null, 'the rule for entering', journey.entry.where) : []),
    ...(journey.goal
      ? eachRule(journey.goal.when).flatMap((r) => (isHappening(r) ? [] : say(null, 'the goal', r)))
      : []),
    ...(journey.leaveWhen ?? []).flatMap(({ when, reason }) =>
      eachRule(when).flatMap((r) => (isHappening(r) ? [] : say(null, `the leaving rule “${reason}”`, r)))
    ),
    ...steps.flatMap(({ step }) =>
      lanesOf(step).flatMap(({ when, label }) =>
        when && !isHappening(when) ? say(step.key, `what the lane “${label}” asks`, when) : []
      )
    )
  ];
};
