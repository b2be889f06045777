/**
 * Whether it is something that happens when somebody joins or leaves a segment. The one place that says so: for the replay's
 * beginning, for the live engine, and for whoever asks for a look. Rule: docs/journey-language.md, "Settings of the workspace".
 */
import { Keeper } from './keeper.ts';
import type { PersonState } from './state.ts';
import type { Recorder, World } from './world.ts';

/** What holds at this instant (UTC ms) is so, without anything having happened. */
export function joinSilently(world: World, person: PersonState, at: number, recorder: Recorder): void {
  new Keeper(world, person, at, recorder, () => undefined).lookAtSegments();
}

/** What somebody's segments are held against: the latest edition of the rules, and since when (UTC ms) that is so. */
export interface Edition {
  number: number;
  since: number;
}

/**
 * Brings somebody up to an edition of the segments. Whoever was there when it was made is in its segments silently; whoever has
 * come since joins them by coming, which happens with the first thing that does. `came`: when they became known, UTC ms.
 */
export function keepUp(
  world: World,
  person: PersonState,
  edition: Edition,
  { came, at }: { came: number; at: number },
  recorder: Recorder
): void {
  if (person.looked === edition.number) return;
  const newcomer = person.looked === 0 && came > edition.since;
  if (!newcomer) joinSilently(world, person, at, recorder);
  person.looked = edition.number;
}
