/**
 * advance(): one walk takes one step. Pure: the same plan, walk, person and
 * instant give the same effects and the same move, always. It asks for things
 * and changes nothing but the walk's own counts; `core/person/run.ts` carries
 * them out, so that the next step sees what this one changed.
 */
import type { PersonState } from '../person/state.ts';
import { isOff, kindOf } from '../steps/index.ts';
import { goOn, type Outcome, type StepContext } from '../steps/base.ts';
import type { JourneyPlan } from '../journey/compile.ts';
import { zoneOf, type Surroundings } from './surroundings.ts';
import type { Walk } from './walk.ts';

/** What a step sees when a walk comes to it. `at` is UTC ms. */
export function contextOf(
  plan: JourneyPlan,
  walk: Walk,
  person: PersonState,
  at: number,
  around: Surroundings
): StepContext {
  return { at, zone: zoneOf(person, plan, around.workspace.zone), plan, walk, person, around };
}

/** Takes the step the walk is at. `at` is UTC ms. The walk must be walking and not at its end. */
export function advance(plan: JourneyPlan, walk: Walk, person: PersonState, at: number, around: Surroundings): Outcome {
  const here = plan.instructions[walk.at];
  if (!here) throw new Error(`walk ${walk.id} of ${plan.key} is at no step: ${walk.at}`);
  if (isOff(here.step)) return goOn(here, { do: 'note', what: 'skipped', detail: { reason: 'off' } });
  return kindOf(here.step).run(here.step, here, contextOf(plan, walk, person, at, around));
}
