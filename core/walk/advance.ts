/**
 * advance(): one walk takes one step. Pure: the same plan, walk, person and
 * instant give the same effects and the same move, always. It asks for things
 * and changes nothing but the walk's own counts; `core/person/run.ts` carries
 * them out, so that the next step sees what this one changed.
 */
import type { Plan } from '../journey/compile.ts';
import type { PersonState } from '../person/state.ts';
import type { Workspace } from '../settings/workspace.ts';
import { kindOf } from '../steps/index.ts';
import type { Outcome, StepContext } from '../steps/base.ts';
import type { Draws } from './draws.ts';
import type { Walk } from './walk.ts';

/** The surroundings of a walk that are not the person's own. */
export interface Surroundings {
  workspace: Workspace;
  suppressed: (address: string) => boolean;
  /** Who was drawn at a split of a plan, over all people. */
  draws: (plan: Plan, split: string) => Draws;
}

/** The zone civil time is counted in: the person's, the journey's, the settings'. */
export function zoneOf(person: PersonState, plan: Plan, settingsZone: string): string {
  const own = person.fields.get('zone');
  return typeof own === 'string' && own !== '' ? own : (plan.document.zone ?? settingsZone);
}

/** What a step sees when a walk comes to it. `at` is UTC ms. */
export function contextOf(plan: Plan, walk: Walk, person: PersonState, at: number, around: Surroundings): StepContext {
  return { at, zone: zoneOf(person, plan, around.workspace.zone), plan, walk, person, around };
}

/** Takes the step the walk is at. `at` is UTC ms. The walk must be walking and not at its end. */
export function advance(plan: Plan, walk: Walk, person: PersonState, at: number, around: Surroundings): Outcome {
  const here = plan.instructions[walk.at];
  if (!here) throw new Error(`walk ${walk.id} of ${plan.key} is at no step: ${walk.at}`);
  return kindOf(here.step).run(here.step, here, contextOf(plan, walk, person, at, around));
}
