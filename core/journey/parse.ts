/** Reading journeys and settings from text: every problem at once, each with its line and path. */
import { findNodeAtLocation, parseTree, printParseErrorCode, type Node, type ParseError } from 'jsonc-parser';
import type { z } from 'zod';
import { settingsSchema, type Settings } from '../settings/schema.ts';
import { compileSettings } from '../settings/workspace.ts';
import { DEEPEST, textDepth, TOO_DEEP } from './depth.ts';
import { pathText, schemaProblems, valueAt, type Path, type Problem } from './problems.ts';
import { referenceProblems, settingsProblems, type Context } from './references.ts';
import { journeySchema, type Journey } from './schema.ts';
import { sizeProblem } from './size.ts';

export type Parsed = { journey: Journey; problems: [] } | { journey: null; problems: PlacedProblem[] };

export interface PlacedProblem {
  /** 1-based. */
  line: number;
  path: string;
  message: string;
}

/** Checks a value that is already JSON. */
export function checkJourney(
  document: unknown,
  context: Context = {}
): { journey: Journey; problems: [] } | { journey: null; problems: Problem[] } {
  const size = sizeProblem(document);
  if (size) return { journey: null, problems: [size] };
  const result = journeySchema.safeParse(document);
  if (result.success) {
    const problems = referenceProblems(result.data, context);
    return problems.length ? { journey: null, problems } : { journey: result.data, problems: [] };
  }
  const problems = schemaProblems(result.error, document);
  const hidden = behind(document, result.error, journeySchema, (j) => referenceProblems(j, context));
  return { journey: null, problems: [...problems, ...hidden] };
}

/** Checks settings that are already JSON. */
function checkSettings(
  document: unknown
): { settings: Settings; problems: [] } | { settings: null; problems: Problem[] } {
  const references = (s: Settings): Problem[] => settingsProblems(s, compileSettings(s).types);
  const result = settingsSchema.safeParse(document);
  if (result.success) {
    const problems = references(result.data);
    return problems.length ? { settings: null, problems } : { settings: result.data, problems: [] };
  }
  const problems = schemaProblems(result.error, document);
  return { settings: null, problems: [...problems, ...behind(document, result.error, settingsSchema, references)] };
}

/**
 * The problems that a broken schema hides: what is broken is taken out of a copy
 * until the rest can be read, and that is checked for broken `references`. What
 * only seems missing because it was taken out is left unsaid.
 */
function behind<T>(
  document: unknown,
  first: z.ZodError,
  schema: z.ZodType<T>,
  references: (value: T) => Problem[]
): Problem[] {
  const copy: unknown = structuredClone(document);
  const gone = new Set<string>();
  const removed = new Set<string>();
  const hidden: Problem[] = [];
  let error = first;
  for (let tries = 0; tries < 50; tries++) {
    const paths = new Map(error.issues.flatMap(pathsOf).map((path) => [pathText(path), path]));
    // From the end and from inside, so that places in a lane stay true.
    for (const path of [...paths.values()].sort(lastFirst)) {
      for (const name of namesIn(valueAt(copy, path))) gone.add(name);
      removed.add(pathText(path));
      if (!takeOut(copy, path)) return [];
    }
    const result = schema.safeParse(copy);
    if (result.success) {
      const missing = [...gone].flatMap((name) => [
        `found "${name}", expected `,
        `found the rung "${name}", expected `
      ]);
      const problems = references(result.data).filter((p) => !missing.some((m) => p.message.startsWith(m)));
      // Steps taken out have moved those behind them; a duplicate says its key itself.
      return [...hidden, ...problems.map((p) => ({ ...p, path: placeOf(document, copy, p.path) }))];
    }
    error = result.error;
    // What asks for something that was taken out is no problem of its own.
    for (const p of schemaProblems(error, copy)) {
      const asks = ASKS[pathText(p.path)];
      if (!asks || !removed.has(asks)) hidden.push({ ...p, path: placeOf(document, copy, p.path) });
    }
  }
  return [];
}

/** Keys that need another one, by their paths. */
const ASKS: Record<string, string> = { 'entry.holdOut': 'goal', 'entry.existing': 'entry.on' };

/** What to take out for an issue: an unknown key itself, otherwise the step or the listed thing that it is in, or the key of the document. */
function pathsOf(issue: z.core.$ZodIssue): Path[] {
  const path = issue.path as Path;
  if (issue.code === 'unrecognized_keys') return issue.keys.map((key) => [...path, key]);
  const step = path.findLastIndex((p, i) => typeof p === 'number' && path[i - 1] === 'lane');
  const listed = path.findIndex((p, i) => typeof p === 'number' && i <= 2);
  const at = step >= 0 ? step : listed >= 0 ? listed : path[0] === 'entry' ? 1 : 0;
  return [path.slice(0, at + 1)];
}

/** Later places before earlier ones, what is inside before what holds it. */
function lastFirst(a: Path, b: Path): number {
  for (let i = 0; i < Math.min(a.length, b.length); i++) {
    const [x, y] = [a[i], b[i]];
    if (x === y) continue;
    return typeof x === 'number' && typeof y === 'number' ? y - x : String(y) < String(x) ? -1 : 1;
  }
  return b.length - a.length;
}

function takeOut(document: unknown, path: Path): boolean {
  const holder = valueAt(document, path.slice(0, -1));
  const last = path.at(-1);
  if (Array.isArray(holder) && typeof last === 'number') return holder.splice(last, 1).length > 0;
  if (holder !== null && typeof holder === 'object' && last !== undefined && last !== 'lane' && last !== 'key')
    return Reflect.deleteProperty(holder, last);
  return false;
}

/** What a value gives names to: keys of steps, names of segments, ladders and rungs. */
function namesIn(value: unknown): string[] {
  if (Array.isArray(value)) return value.flatMap(namesIn);
  if (value === null || typeof value !== 'object') return [];
  const { key, name, after } = value as { key?: unknown; name?: unknown; after?: unknown };
  return [...[key, name, after].filter((n) => typeof n === 'string'), ...Object.values(value).flatMap(namesIn)];
}

/** Where a place of the copy stands in the document: steps are found again by being the same. */
function placeOf(document: unknown, copy: unknown, path: Path): Path {
  const found: Path = [];
  for (const part of path) {
    const holder = valueAt(document, found);
    const value = valueAt(copy, path.slice(0, found.length + 1));
    if (typeof part === 'number' && Array.isArray(holder)) {
      const text = JSON.stringify(value);
      const same = holder.findIndex((v, i) => i >= part && JSON.stringify(v) === text);
      found.push(same < 0 ? part : same);
    } else found.push(part);
  }
  return found;
}

/** Keys that stand twice in one object: JSON readers keep the last and lose what the first says. */
function repeatedKeys(node: Node, path: Path = []): { name: string; path: Path; offset: number }[] {
  if (node.type === 'array') return (node.children ?? []).flatMap((n, i) => repeatedKeys(n, [...path, i]));
  if (node.type !== 'object') return [];
  const seen = new Set<string>();
  return (node.children ?? []).flatMap((property) => {
    const [key, value] = property.children ?? [];
    const name = String(key?.value);
    const here = [...path, name];
    const again = seen.has(name) ? [{ name, path: here, offset: property.offset }] : [];
    seen.add(name);
    return [...again, ...(value ? repeatedKeys(value, here) : [])];
  });
}

/** A JSON text with its tree, or what is wrong with it as JSON. */
function readJson(
  text: string,
  wanted: string
):
  | { value: unknown; twice: PlacedProblem[]; place: (problems: Problem[]) => PlacedProblem[] }
  | { problems: PlacedProblem[] } {
  const errors: ParseError[] = [];
  const source = text.replace(/^\uFEFF/, '');
  const depth = textDepth(source);
  if (depth > DEEPEST) return { problems: [{ line: 1, path: 'the document', message: `found ${depth}, ${TOO_DEEP}` }] };
  const tree = parseTree(source, errors, { disallowComments: true });
  const starts = [0];
  for (let i = source.indexOf('\n'); i >= 0; i = source.indexOf('\n', i + 1)) starts.push(i + 1);
  const lineAt = (offset: number): number => {
    let line = starts.length;
    while (line > 1 && (starts[line - 1] ?? 0) > offset) line--;
    return line;
  };
  if (errors.length || !tree) {
    const problems = (errors.length ? errors : [{ error: 0, offset: 0, length: 0 }]).map((e) => ({
      line: lineAt(e.offset),
      path: 'the document',
      message: `found text that is not JSON (${printParseErrorCode(e.error)}), expected ${wanted}`
    }));
    return { problems };
  }
  const lineOf = (path: Path): number => {
    for (let end = path.length; end > 0; end--) {
      const node: Node | undefined = findNodeAtLocation(tree, path.slice(0, end));
      if (node) return lineAt((node.parent?.type === 'property' ? node.parent : node).offset);
    }
    return lineAt(tree.offset);
  };
  const twice = repeatedKeys(tree).map(({ name, path, offset }) => ({
    line: lineAt(offset),
    path: pathText(path),
    message: `found the key "${name}" a second time, expected each once`
  }));
  return {
    value: JSON.parse(source),
    twice,
    place: (problems) => problems.map((p) => ({ line: lineOf(p.path), path: pathText(p.path), message: p.message }))
  };
}

/** Reads a `*.journey.json` file's text. */
export function parseJourney(text: string, context: Context = {}): Parsed {
  const read = readJson(text, 'a journey');
  if ('problems' in read) return { journey: null, problems: read.problems };
  const checked = checkJourney(read.value, context);
  const problems = [...read.twice, ...read.place(checked.problems)];
  return checked.journey && !problems.length ? checked : { journey: null, problems };
}

/** Reads a file of settings. */
export function parseSettings(
  text: string
): { settings: Settings; problems: [] } | { settings: null; problems: PlacedProblem[] } {
  const read = readJson(text, 'settings');
  if ('problems' in read) return { settings: null, problems: read.problems };
  const checked = checkSettings(read.value);
  const problems = [...read.twice, ...read.place(checked.problems)];
  return checked.settings && !problems.length ? checked : { settings: null, problems };
}
