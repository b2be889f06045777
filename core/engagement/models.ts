/** Ladders and score models of a workspace, ready to be worked with. Compiled by `core/settings/workspace.ts`. */
import type { Renamed } from '../journey/names.ts';
import type { Matcher } from '../condition/happening.ts';
import type { Duration } from '../time/duration.ts';

export interface Ladder {
  name: string;
  counts: { name: string; match: Matcher }[];
  rungs: { name: string; upTo: Duration }[];
  after: string;
}

export interface ScoreRule {
  name: string;
  match: Matcher;
  add: number;
  cap: { points: number; per: Duration } | null;
}

export interface ScoreModel {
  name: string;
  rules: ScoreRule[];
  decay: { by: number | 'half'; every: Duration } | null;
  floor: number;
  ceiling: number;
}

/** What of a workspace says how engaged people are. */
export interface Engagement {
  /** Where days are counted for who has no zone of their own. */
  zone: string;
  ladders: Ladder[];
  scores: Map<string, ScoreModel>;
  /** Present names of what was called otherwise before. */
  names: Renamed;
}
