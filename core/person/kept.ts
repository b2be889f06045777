/**
 * A person's state as it is kept over time. Facts, walks, messages and records
 * have tables of their own; everything else of {@link PersonState} is one plain
 * value, named here key by key: one that is added and not kept does not compile.
 */
import type { Happening } from './happening.ts';
import { newPerson, type PersonState } from './state.ts';

/** What has a table of its own: facts, walks, and what was sent and done. */
export type InTables =
  'id' | 'fields' | 'tags' | 'lists' | 'segments' | 'consent' | 'scores' | 'walks' | 'sent' | 'reactions' | 'record';
type Rest = Omit<PersonState, InTables>;

/** Sets as arrays, maps as arrays of pairs. */
type Plain<T> = T extends Set<infer V> ? V[] : T extends Map<infer K, infer V> ? [K, V][] : T extends null ? null : T;
/** The rest of a person's state as plain JSON; what is as it is for someone new is left out. */
export type KeptState = { [K in keyof Rest]?: Plain<Exclude<Rest[K], null>> };

/** The part of a person's state that has no table. */
export function keepState(person: PersonState): KeptState {
  const all: { [K in keyof Rest]: KeptState[K] } = {
    entered: person.entered.size ? [...person.entered] : undefined,
    nextWalk: person.nextWalk === 1 ? undefined : person.nextWalk,
    tasks: person.tasks.length ? person.tasks : undefined,
    orders: person.orders ?? undefined,
    looked: person.looked || undefined,
    scored: person.scored || undefined,
    scoreHistory: person.scoreHistory ? [...person.scoreHistory] : undefined,
    rungs: person.rungs ? [...person.rungs] : undefined,
    dated: person.dated ? [...person.dated] : undefined,
    missed: person.missed ? [...person.missed] : undefined,
    promised: person.promised.length ? person.promised : undefined,
    order: person.order === 1 ? undefined : person.order
  };
  return all;
}

/** Someone with what was kept of them; what has tables is filled in by whoever loads those. */
export function restoreState(id: string, kept: KeptState): PersonState {
  const person = newPerson(id);
  const all: Rest = {
    entered: new Set(kept.entered),
    nextWalk: kept.nextWalk ?? person.nextWalk,
    tasks: kept.tasks ?? [],
    orders: kept.orders ?? null,
    looked: kept.looked ?? person.looked,
    scored: kept.scored ?? person.scored,
    scoreHistory: kept.scoreHistory ? new Map(kept.scoreHistory) : null,
    rungs: kept.rungs ? new Map(kept.rungs) : null,
    dated: kept.dated ? new Map(kept.dated) : null,
    missed: kept.missed ? new Map(kept.missed) : null,
    promised: kept.promised ?? [],
    order: kept.order ?? person.order
  };
  return Object.assign(person, all);
}

/** A happening as a row: what statements ask about in columns, the rest as one plain value. */
export interface KeptHappening {
  name: string;
  at: number;
  about: Happening['about'];
  record: number | undefined;
  /** All other keys. */
  data: Omit<Happening, 'name' | 'at' | 'about' | 'record'>;
}

export function keepHappening({ name, at, about, record, ...data }: Happening): KeptHappening {
  return { name, at, about, record, data };
}

export function restoreHappening({ name, at, about, record, data }: KeptHappening): Happening {
  const h: Happening = { ...data, name, at };
  if (about) h.about = about;
  if (record !== undefined) h.record = record;
  return h;
}
