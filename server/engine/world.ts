/** The world that a batch of people moves in: live journeys, the workspace, and the addresses that are suppressed. */
import type { JourneyPlan } from '../../core/journey/compile.ts';
import type { World } from '../../core/person/world.ts';
import { compileSettings } from '../../core/settings/workspace.ts';
import type { PlanBook } from './plans.ts';

/** `suppressed` holds lower-case addresses, and gets those that the work itself suppresses. */
export function liveWorld(
  entering: JourneyPlan[],
  plans: PlanBook,
  paused: ReadonlyMap<string, JourneyPlan>,
  suppressed: Set<string>,
  zone: string
): World {
  return {
    plans: entering,
    planOf: (walk) => plans.plan(plans.idOf(walk.journey), walk.version),
    workspace: compileSettings(null, zone),
    asks: new Set(),
    paused,
    suppressed: (address) => suppressed.has(address.toLowerCase()),
    suppress: (address) => void suppressed.add(address.toLowerCase()),
    draws: (plan, split) => {
      throw new Error(`the split ${split} of ${plan.key} has a winner, which is not run live yet`);
    }
  };
}
