/** Ladders: the rung a person stands on, by how long ago they last did something. Rules: docs/journey-language.md, "Settings of the workspace". */
import type { Happening } from '../person/happening.ts';
import type { PersonState, RungStanding } from '../person/state.ts';
import { addDuration } from '../time/civil.ts';
import { settingsZone } from './scores.ts';
import type { Engagement, Ladder } from './models.ts';

/** The rung a person stands on; `null` for who never did what counts. */
export function rungOf(person: PersonState, ladder: string): string | null {
  return person.rungs?.get(ladder)?.rung ?? null;
}

/** The rung for someone who last did what counts at `last`: the first that has not passed; passed at the very instant. */
function rungAt(ladder: Ladder, zone: string, last: number, at: number): string {
  return ladder.rungs.find((r) => at < addDuration(zone, last, r.upTo))?.name ?? ladder.after;
}

/** When the rung someone stands on passes; `null` on the last one. */
function passesAt(ladder: Ladder, zone: string, standing: RungStanding): number | null {
  const rung = ladder.rungs.find((r) => r.name === standing.rung);
  return rung && standing.rung !== ladder.after ? addDuration(zone, standing.last, rung.upTo) : null;
}

/** A step up or down a ladder. */
export interface RungChange {
  ladder: string;
  from: string | null;
  to: string;
}

/** Puts a person where a happening puts them. */
export function climb(workspace: Engagement, person: PersonState, h: Happening, at: number): RungChange[] {
  const changes: RungChange[] = [];
  for (const ladder of workspace.ladders) {
    if (!ladder.counts.some((c) => c.name === h.name && c.match(h, null, settingsZone(person, workspace)))) continue;
    const rungs = (person.rungs ??= new Map<string, RungStanding>());
    const from = rungs.get(ladder.name)?.rung ?? null;
    const to = rungAt(ladder, settingsZone(person, workspace), at, at);
    rungs.set(ladder.name, { last: at, rung: to });
    if (to !== from) changes.push({ ladder: ladder.name, from, to });
  }
  return changes;
}

/** The next instant at which the clock moves a person to another rung; `null` for never. */
export function nextRung(workspace: Engagement, person: PersonState): number | null {
  if (!person.rungs) return null;
  const zone = settingsZone(person, workspace);
  let next: number | null = null;
  for (const ladder of workspace.ladders) {
    const standing = person.rungs.get(ladder.name);
    const at = standing ? passesAt(ladder, zone, standing) : null;
    if (at !== null && (next === null || at < next)) next = at;
  }
  return next;
}

/** Moves a person to the rungs that the clock has brought. */
export function slip(workspace: Engagement, person: PersonState, at: number): RungChange[] {
  const changes: RungChange[] = [];
  const zone = settingsZone(person, workspace);
  for (const ladder of workspace.ladders) {
    const standing = person.rungs?.get(ladder.name);
    const passes = standing ? passesAt(ladder, zone, standing) : null;
    if (!standing || passes === null || passes > at) continue;
    const to = rungAt(ladder, zone, standing.last, at);
    changes.push({ ladder: ladder.name, from: standing.rung, to });
    standing.rung = to;
  }
  return changes;
}
