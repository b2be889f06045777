/** Which facts of a person are used: named, so that whoever runs a plan can load exactly that, for many people at once. */
import type { HappeningName } from './happening.ts';

export interface FactsUsed {
  fields: Set<string>;
  tags: boolean;
  lists: boolean;
  segments: boolean;
  scores: Set<string>;
  rungs: boolean;
  orders: boolean;
  /** Journeys of which it is asked whether someone walks there. */
  walking: Set<string>;
  /** Happenings that are asked about over everything ever recorded. */
  did: Set<HappeningName>;
  /** Whether that is also asked of messages of other journeys, so of walks that ended long ago. */
  elsewhere: boolean;
  /** What it is asked whether someone did with a message or task of a walk. */
  reactions: Set<HappeningName>;
}
