/** Which happenings the settings of a workspace ask about. */
import { eachCondition } from '../condition/evaluate.ts';
import type { HappeningName } from '../condition/happening.ts';
import type { Settings } from './schema.ts';

/** Names of the happenings that segments, ladders and score models ask about. */
export function happeningsOf({ segments = [], ladders = [], scores = [] }: Settings): Set<HappeningName> {
  return new Set([
    ...segments.flatMap((s) => eachCondition(s.when)).flatMap((c) => ('did' in c ? [c.did] : [])),
    ...ladders.flatMap((l) => l.counts.map((c) => c.happening)),
    ...scores.flatMap((m) => m.rules.map((r) => r.when.happening))
  ]);
}
