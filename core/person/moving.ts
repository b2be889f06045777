/**
 * Going on in another version: a walk keeps its step where that is still there, by its key and kind; what it remembers of
 * loops, splits and visits is by keys too. Who stands on a step that is gone goes on in the version they entered.
 */
import type { JourneyInstruction, JourneyPlan } from '../journey/compile.ts';
import { END } from '../walk/plan.ts';
import type { Walk } from '../walk/walk.ts';

/** Where a walk stands in another version; `null` where its step is not there. */
export function placeIn(to: JourneyPlan, from: JourneyPlan, walk: Pick<Walk, 'at'>): number | null {
  if (walk.at === END) return END;
  const here: JourneyInstruction | undefined = from.instructions[walk.at];
  const there = here && to.byKey.get(here.step.key);
  return there && there.step.kind === here.step.kind ? there.index : null;
}
