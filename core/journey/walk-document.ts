/** Going over the steps of a document with their places. */
import { lanesOf, type Step } from '../steps/index.ts';
import type { Path } from './problems.ts';
import type { Journey } from './schema.ts';

export interface PlacedStep {
  step: Step;
  /** Path from the document to the step: `["lane", 2, "lanes", 0, "lane", 1]`. */
  path: Path;
  /** Steps that are passed before it on every way to it, nearest last: those it may go back to. */
  before: Step[];
}

/** Every step of a journey, in order of the document. */
export function eachStep(document: Pick<Journey, 'lane'>): PlacedStep[] {
  const found: PlacedStep[] = [];
  const visit = (steps: Step[], path: Path, before: Step[]): void => {
    const passed = [...before];
    steps.forEach((step, i) => {
      const here = [...path, i];
      found.push({ step, path: here, before: [...passed] });
      passed.push(step);
      for (const lane of lanesOf(step)) visit(lane.steps, [...here, ...lane.path, 'lane'], passed);
    });
  };
  visit(document.lane, ['lane'], []);
  return found;
}

/** Every step of a lane with those inside, in order of the document. */
export function stepsOf(lane: Step[]): Step[] {
  return lane.flatMap((step) => [step, ...lanesOf(step).flatMap((l) => stepsOf(l.steps))]);
}
