/** Standing still until something happens, at most so long. */
import { addDuration } from '../time/civil.ts';
import type { Duration } from '../time/duration.ts';
import type { Standing } from '../walk/walk.ts';
import type { StepContext } from './base.ts';

/** Until when a walk stands on a listen or an awaited task: its limit, or as idle where that comes first. */
export function standing(
  kind: 'listen' | 'task',
  limit: Duration,
  { at, zone, plan }: Pick<StepContext, 'at' | 'zone' | 'plan'>
): Standing {
  const until = addDuration(zone, at, limit);
  const idle = plan.idle ? addDuration(zone, at, plan.idle) : Infinity;
  // Equal, the limit wins.
  return idle < until ? { kind, until: idle, idle: true } : { kind, until };
}
