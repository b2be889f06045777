/** When there is next something to do for a person. */
import { nextRung } from '../engagement/ladders.ts';
import type { PersonState } from './state.ts';
import type { World } from './world.ts';

/** The instant of the person's next timer, in UTC ms; `null` where no walk stands, but in paused journeys. */
export function nextTimer({ paused }: Pick<World, 'paused'>, person: PersonState): number | null {
  let next: number | null = null;
  for (const { standing, journey } of person.walks) {
    if (standing && !paused.has(journey) && (next === null || standing.until < next)) next = standing.until;
  }
  return next;
}

/** The instant at which the clock next moves the person to another rung; `null` for never. */
export function nextClock(world: World, person: PersonState): number | null {
  return world.workspace.ladders.length ? nextRung(world.workspace, person) : null;
}
