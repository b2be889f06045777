/**
 * What a step is held against, as far as it is known: the rest of its journey,
 * other journeys, the settings, the people's file. Checks that several kinds
 * share stand here too.
 */
import { found, type Path } from '../journey/problems.ts';
import type { Channel, FieldType } from '../person/values.ts';
import { nextOpening, type Hours } from '../time/hours.ts';
import type { AnyStep } from '../walk/plan.ts';

export interface Known {
  /** Key of the step's own journey. */
  own: string;
  /** The journey's sending hours. */
  hours: Hours | undefined;
  /** Steps that are passed before it on every way to it, nearest last. */
  before: readonly AnyStep[];
  /** Steps that stand before it in the document, on whatever lane. */
  earlier: readonly AnyStep[];
  /** Whether a journey exists; absent where others are not known. */
  hasJourney?: (key: string) => boolean;
  /** Types of declared fields. */
  types?: ReadonlyMap<string, FieldType>;
  /** The settings' hours for a channel. */
  sharedHours: (channel: Channel) => Hours | null;
}

/** Says what is wrong, at a path inside the step. */
export type Say = (path: Path, message: string) => void;

/** A field that a date is read from. */
export function dateField(field: string, path: Path, types: Known['types'], say: Say): void {
  const type = types?.get(field);
  if (type && type !== 'date' && type !== 'instant')
    say(path, `found "${field}" of type ${type}, expected a field of type date or instant`);
}

/** Another journey than the step's own, that exists. */
export function otherJourney(key: string, path: Path, known: Known, say: Say): void {
  if (key === known.own) say(path, `found "${key}", expected another journey than this one`);
  else if (known.hasJourney && !known.hasJourney(key))
    say(path, `found "${key}", expected the key of a journey that was given`);
}

/** Some day within two years on which hours are asked whether they ever open; any day would do. */
const SOME_DAY = Date.UTC(2027, 0, 1);

/** Hours that never open, alone or with others of the same zone. */
export function opens(hours: Hours, other: Hours | null, path: Path, say: Say): void {
  const never = (): void =>
    say(
      path,
      `found ${found(hours)}, expected hours that open on some day${other ? " at which the settings' hours are open too" : ''}`
    );
  let at: number | null = nextOpening(hours, 'UTC', SOME_DAY);
  if (at === null) return never();
  const zones = [hours.zone ?? 'person', other?.zone ?? 'person'];
  // Where only one of them counts in the person's zone, it depends on the person.
  if (!other || zones.filter((zone) => zone === 'person').length === 1) return;
  for (let tries = 0; tries < 800; tries++) {
    const both: number | null = nextOpening(other, 'UTC', at);
    if (both === null) return never();
    const back: number | null = nextOpening(hours, 'UTC', both);
    if (back === null || back - SOME_DAY > 366 * 86_400_000) return never();
    if (back === both) return;
    at = back;
  }
}
