/**
 * Points and rungs worked out anew from what is on record, where a model or a ladder was changed: as though it had held from
 * the first. Nothing happens by it: what it comes to is how somebody stands, not something they did.
 */
import type { Happening } from '../person/happening.ts';
import type { PersonState } from '../person/state.ts';
import { climb, slip } from './ladders.ts';
import type { Engagement } from './models.ts';
import { changeScore, scoreHappening, scoreNow } from './scores.ts';

/** One thing on record, by the instant at which it was worked off (UTC ms): a happening, or points that a step gave. */
export type Past =
  { at: number; happening: Happening } | { at: number; score: string; change: { add: number } | { set: number } };

/** Which models and ladders are worked out anew; all others stay as they are. */
export interface Rebuilt {
  scores: ReadonlySet<string>;
  ladders: ReadonlySet<string>;
}

/** Works out a person's points and rungs until `at`, UTC ms. `past` in order of recording. */
export function rebuild(
  workspace: Engagement,
  person: PersonState,
  past: readonly Past[],
  { scores, ladders }: Rebuilt,
  at: number
): void {
  const part: Engagement = {
    ...workspace,
    ladders: workspace.ladders.filter((l) => ladders.has(l.name)),
    scores: new Map([...workspace.scores].filter(([name]) => scores.has(name)))
  };
  for (const name of scores) {
    if (person.scores.has(name)) person.scores.set(name, 0);
    person.scoreHistory?.delete(name);
  }
  for (const name of ladders) person.rungs?.delete(name);
  for (const one of past) {
    if ('happening' in one) {
      scoreHappening(part, person, one.happening, one.at);
      climb(part, person, one.happening, one.at);
    } else if (scores.has(one.score)) changeScore(part, person, one.score, one.change, one.at);
  }
  slip(part, person, at);
  for (const name of part.scores.keys()) scoreNow(part, person, name, at);
}

/** Names of the happenings that models and ladders of these names go by. */
export function heardBy(workspace: Engagement, { scores, ladders }: Rebuilt): Set<string> {
  return new Set([
    ...workspace.ladders.filter((l) => ladders.has(l.name)).flatMap((l) => l.counts.map((c) => c.name)),
    ...[...workspace.scores.values()].filter((m) => scores.has(m.name)).flatMap((m) => m.rules.map((r) => r.name))
  ]);
}
