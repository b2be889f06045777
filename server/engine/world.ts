/** The world that a batch of people moves in: live journeys, the settings, draws, and the addresses that are suppressed. */
import type { JourneyPlan } from '../../core/journey/compile.ts';
import type { World } from '../../core/person/world.ts';
import type { Workspace } from '../../core/settings/workspace.ts';
import type { Loaded } from './loaded.ts';
import type { PlanBook } from './plans.ts';

/** What a world is made of. `loaded.suppressed` gets the addresses that the work itself suppresses. */
export interface WorldParts {
  entering: JourneyPlan[];
  plans: PlanBook;
  paused: ReadonlyMap<string, JourneyPlan>;
  loaded: Pick<Loaded, 'suppressed' | 'asks'>;
  workspace: Workspace;
  draws: World['draws'];
  /** By journey, from when on happenings let people in. */
  since?: ReadonlyMap<string, number>;
}

export function liveWorld({ entering, plans, paused, loaded, workspace, draws, since }: WorldParts): World {
  const { suppressed, asks } = loaded;
  return {
    plans: entering,
    planOf: (walk) => plans.plan(plans.idOf(walk.journey), walk.version),
    workspace,
    asks,
    paused,
    ...(since ? { since } : {}),
    suppressed: (address) => suppressed.has(address.toLowerCase()),
    suppress: (address) => void suppressed.add(address.toLowerCase()),
    draws
  };
}
