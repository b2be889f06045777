/** Journey files that are brought in: read, held against what is there, made into a draft. */
import { needsOf, type Needs } from '../../core/journey/needs.ts';
import { parseJourney } from '../../core/journey/parse.ts';
import { eachStep } from '../../core/journey/walk-document.ts';
import { now } from '../workspace/clock.ts';
import type { Pool } from '../db/pool.ts';
import { catalogueFields } from '../engine/field-names.ts';
import { knownNames } from '../people/names.ts';
import { createJourney, journeyNames } from './journeys.ts';

/** A file may be so long, in characters: many times what any journey needs. */
export const LONGEST_FILE = 2_000_000;
/** Problems that are told at once. */
const TOLD = 12;

export interface Brought {
  name: string;
  steps: number;
  /** What it names and is not here: those that come by being used (`tags`, `lists`, `fields`), and those that do not. */
  missing: Needs;
}

/** Reads a file without changing anything: what it is and what it lacks here, or all that is wrong with it. */
export async function lookAtFile(db: Pool, text: string): Promise<{ brought: Brought } | { problems: string[] }> {
  const read = parseJourney(text);
  if (!read.journey) {
    const problems = read.problems.slice(0, TOLD).map((p) => `${p.path}: ${p.message}`);
    const more = read.problems.length - problems.length;
    return { problems: more > 0 ? [...problems, `and ${more} more`] : problems };
  }
  const [known, journeys] = await Promise.all([knownNames(db), journeyNames(db)]);
  const needs = needsOf(read.journey);
  const without = (wanted: string[], there: readonly string[]): string[] =>
    wanted.filter((name) => !there.includes(name));
  return {
    brought: {
      name: read.journey.name ?? read.journey.key,
      steps: eachStep(read.journey).length,
      missing: {
        fields: without(needs.fields, known.fields),
        tags: without(needs.tags, known.tags),
        lists: without(needs.lists, known.lists),
        segments: without(needs.segments, known.segments),
        journeys: without(
          needs.journeys,
          journeys.map((j) => j.key)
        )
      }
    }
  };
}

/** Makes a draft of a file, and the fields that it names where that is asked; gives its key. */
export async function bringFile(db: Pool, text: string, by: string, makeFields: boolean): Promise<string | null> {
  const read = parseJourney(text);
  if (!read.journey) return null;
  if (makeFields) await catalogueFields(db, needsOf(read.journey).fields, await now(db));
  return createJourney(db, read.journey, by, read.journey.labels?.[0] ?? '');
}
