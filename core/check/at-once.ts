/** What somebody comes to in a journey without ever standing still. */
import type { Journey } from '../journey/schema.ts';
import { isOff, lanesOf, lastsOf, type Step } from '../steps/index.ts';

/** Those steps, in their order, and whether the end of the journey is come to so. */
export function reachedAtOnce({ lane }: Pick<Journey, 'lane'>): { steps: Step[]; ends: boolean } {
  const steps: Step[] = [];
  let ends = false;
  /** Whether somebody comes to the end of a lane at once. */
  const through = (along: readonly Step[]): boolean => {
    for (const step of along) {
      if (isOff(step)) continue;
      steps.push(step);
      if (step.kind === 'leave' || (step.kind === 'handover' && !step.stay)) {
        ends = true;
        return false;
      }
      if (step.kind === 'loop' || step.kind === 'listen') return false;
      const lanes = lanesOf(step);
      if (
        lanes.length
          ? !lanes.map((l) => l.after === undefined && through(l.steps)).includes(true)
          : lastsOf(step) !== null
      )
        return false;
    }
    return true;
  };
  if (through(lane)) ends = true;
  return { steps, ends };
}
