/** Segments that ask for each other in a circle: who is in them would hang on who was. */
import { eachCondition } from '../condition/evaluate.ts';
import type { Settings } from './schema.ts';

/** The segments of one circle, in its order, for each segment that is in one. */
export function segmentCircles(segments: NonNullable<Settings['segments']>): Map<string, string[]> {
  const asks = new Map(
    segments.map(({ name, when }) => [
      name,
      [...new Set(eachCondition(when).flatMap((c) => ('segment' in c && c.segment !== undefined ? [c.segment] : [])))]
    ])
  );
  const circles = new Map<string, string[]>();
  for (const { name } of segments) {
    // The nearest way back, each segment looked at once.
    const from = new Map<string, string>();
    const waiting = [name];
    for (let here = waiting.shift(); here !== undefined && !circles.has(name); here = waiting.shift()) {
      for (const next of asks.get(here) ?? []) {
        if (next === name) {
          const round = [here];
          for (let at = here; at !== name;) round.unshift((at = from.get(at) ?? name));
          circles.set(name, round);
        } else if (!from.has(next)) {
          from.set(next, here);
          waiting.push(next);
        }
      }
    }
  }
  return circles;
}
