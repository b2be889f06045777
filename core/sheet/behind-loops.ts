/** Steps that people come to later than the ruler says when a loop sends them back: the one it leads to, and all behind it. */
import type { Journey } from '../journey/schema.ts';
import { stepsOf } from '../journey/walk-document.ts';
import { isOff, kindOf, lanesOf, type Step } from '../steps/index.ts';

/** Keys of the steps that are behind a loop of the journey. */
export function behindLoops({ lane }: Pick<Journey, 'lane'>): Set<string> {
  const targets = new Set(stepsOf(lane).flatMap((s) => (isOff(s) ? [] : [kindOf(s).backTo?.(s)])));
  const found = new Set<string>();
  /** Whether people may be going round when they come out of these steps. */
  const visit = (steps: Step[]): boolean => {
    let round = false;
    for (const step of steps) {
      round ||= targets.has(step.key);
      if (round) for (const { key } of stepsOf([step])) found.add(key);
      else round = lanesOf(step).filter((l) => visit(l.steps)).length > 0;
    }
    return round;
  };
  visit(lane);
  return found;
}
