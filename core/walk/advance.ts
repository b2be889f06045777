/**
 * advance(): one walk takes one step. Pure: the same plan, walk, person and
 * instant give the same effects and the same move, always. It asks for things
 * and changes nothing; `core/person/run.ts` carries them out, so that the next
 * step sees what this one changed.
 */
import type { Plan } from '../journey/compile.ts';
import type { PersonState } from '../person/state.ts';
import { kindOf } from '../steps/index.ts';
import type { Effect, Move } from '../steps/base.ts';
import type { Walk } from './walk.ts';

/** The surroundings of a walk that are not the person's own. */
export interface Surroundings {
  /** The settings' zone, for people and journeys without one. */
  zone: string;
  suppressed: (address: string) => boolean;
}

/** The zone civil time is counted in: the person's, the journey's, the settings'. */
export function zoneOf(person: PersonState, plan: Plan, settingsZone: string): string {
  const own = person.fields.get('zone');
  return typeof own === 'string' && own !== '' ? own : (plan.document.zone ?? settingsZone);
}

/** Takes the step the walk is at. `at` is UTC ms. The walk must be walking and not at its end. */
export function advance(
  plan: Plan,
  walk: Walk,
  person: PersonState,
  at: number,
  around: Surroundings
): { effects: Effect[]; move: Move } {
  const here = plan.instructions[walk.at];
  if (!here) throw new Error(`walk ${walk.id} of ${plan.key} is at no step: ${walk.at}`);
  const zone = zoneOf(person, plan, around.zone);
  return kindOf(here.step).run(here.step, here, { at, zone, plan, walk, person, suppressed: around.suppressed });
}
