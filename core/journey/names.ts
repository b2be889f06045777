/**
 * Where a document names tags, lists, fields and segments, and the same document with another name in their place. Works on
 * documents of any edition, as they are kept: conditions, happenings and steps are told by their keys
 * (docs/journey-language.md), texts by the personal fields in them.
 */

export const NAME_KINDS = ['tag', 'list', 'field', 'segment'] as const;
export type NameKind = (typeof NAME_KINDS)[number];

export interface NameUse {
  kind: NameKind;
  name: string;
  /** Whether it is set there, or read. */
  sets: boolean;
  /** Key of the step it stands in; `null`: of the journey as a whole, or of settings. */
  step: string | null;
}

type Found = (kind: NameKind, name: string, sets: boolean, step: string | null) => string;
type Json = Record<string, unknown>;

/** A field of a person in a text: `{{ person.town }}`, `{% if person["town"] %}`. */
const PERSONAL = /(\bperson\s*(?:\.\s*|\[\s*["']))([A-Za-z_][\w-]*)/g;

const isObject = (value: unknown): value is Json =>
  typeof value === 'object' && value !== null && !Array.isArray(value);

/** What stands here is somebody else's: answers of forms that a happening is asked for, what a call posts. */
const isForeign = (of: Json, key: string): boolean =>
  key === 'where' ? 'happening' in of || 'did' in of || 'came' in of : key === 'data' && of['kind'] === 'call';

/** Goes through a value and gives it back with what `found` says in place of each name; the same value where nothing changes. */
function through(value: unknown, step: string | null, found: Found): unknown {
  if (typeof value === 'string') return value.includes('{') ? inText(value, step, found) : value;
  if (Array.isArray(value)) return mapped(value, (v) => through(v, step, found));
  if (!isObject(value)) return value;
  const own = typeof value['kind'] === 'string' && typeof value['key'] === 'string' ? value['key'] : step;
  let changed: Json | null = null;
  const put = (key: string, next: unknown): void => {
    if (next !== value[key]) changed = { ...(changed ?? value), [key]: next };
  };
  for (const [key, inner] of Object.entries(value)) {
    if (isForeign(value, key)) continue;
    if ((NAME_KINDS as readonly string[]).includes(key) && typeof inner === 'string')
      put(key, found(key as NameKind, inner, false, own));
    else put(key, labels(value, key, inner, own, found) ?? through(inner, own, found));
  }
  return changed ?? value;
}

/** What steps set: labels put on and taken off, lists moved between, fields. `undefined`: nothing of the kind. */
function labels(of: Json, key: string, inner: unknown, step: string | null, found: Found): unknown {
  const kind = of['kind'];
  if (kind !== 'tag' && kind !== 'list' && kind !== 'field') return undefined;
  if (kind === 'field')
    return key === 'set' && isObject(inner)
      ? entriesOf(inner, ([name, to]) => [found('field', name, true, step), through(to, step, found)])
      : undefined;
  if ((key === 'add' || key === 'remove') && Array.isArray(inner))
    return mapped(inner, (name) => (typeof name === 'string' ? found(kind, name, true, step) : name));
  if (key === 'move' && isObject(inner))
    return entriesOf(inner, ([k, name]) => [k, typeof name === 'string' ? found(kind, name, true, step) : name]);
  return undefined;
}

/** The same object where no entry of it changes. */
function entriesOf(of: Json, change: (entry: [string, unknown]) => [string, unknown]): Json {
  const before = Object.entries(of);
  const next = before.map(change);
  return next.every(([k, v], i) => k === before[i]?.[0] && v === before[i][1]) ? of : Object.fromEntries(next);
}

const inText = (text: string, step: string | null, found: Found): string =>
  text.replace(/\{\{.*?\}\}|\{%.*?%\}/gs, (tag) =>
    tag.replace(PERSONAL, (_, before: string, name: string) => before + found('field', name, false, step))
  );

/** The same list where nothing in it changes; a name that comes to stand there twice stands there once. */
function mapped(list: unknown[], change: (value: unknown) => unknown): unknown[] {
  const next = list.map(change);
  if (next.every((v, i) => v === list[i])) return list;
  return next.filter((v, i) => typeof v !== 'string' || next.indexOf(v) === i);
}

/** Everything a document names, each use. */
export function namesIn(document: unknown): NameUse[] {
  const uses: NameUse[] = [];
  through(document, null, (kind, name, sets, step) => {
    if (name !== '') uses.push({ kind, name, sets, step });
    return name;
  });
  return uses;
}

/** Names that were others once: the present one of each, by kind. */
export type Renamed = Readonly<Partial<Record<NameKind, ReadonlyMap<string, string>>>>;

/** A name as it is now. */
export const presentName = (names: Renamed, kind: NameKind, name: string): string => names[kind]?.get(name) ?? name;

/** Everything that something was ever called, as it is now first. */
export const allNames = (names: Renamed, kind: NameKind, name: string): string[] => [
  name,
  ...[...(names[kind] ?? [])].flatMap(([former, present]) => (present === name ? [former] : []))
];

/** A document with present names in place of former ones; the very same where it has none. */
export function renamed<T>(document: T, names: Renamed): T {
  if (!NAME_KINDS.some((kind) => names[kind]?.size)) return document;
  return through(document, null, (kind, name) => names[kind]?.get(name) ?? name) as T;
}
