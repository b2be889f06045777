/** The surroundings of a walk that are not the person's own, and what a step sees of them. */
import type { PersonState } from '../person/state.ts';
import type { Workspace } from '../settings/workspace.ts';
import type { Draws } from './draws.ts';
import type { Plan } from './plan.ts';

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
