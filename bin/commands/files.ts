/** Reading the files a command is given, and gathering all that is wrong with them. */
import { readFileSync } from 'node:fs';
import { parseJourney, parseSettings, type PlacedProblem } from '../../core/journey/parse.ts';
import type { Context } from '../../core/journey/references.ts';
import type { Journey } from '../../core/journey/schema.ts';
import type { Settings } from '../../core/settings/schema.ts';
import { compileSettings } from '../../core/settings/workspace.ts';
import type { FieldType } from '../../core/person/values.ts';

/** Everything that is wrong, one a line: `file:line: path: what was found, what was expected`. */
export class Complaints {
  private readonly lines: string[] = [];

  add(file: string, problems: readonly PlacedProblem[]): void {
    for (const p of problems) this.lines.push(`${file}:${p.line}: ${p.path}: ${p.message}`);
  }

  say(line: string): void {
    this.lines.push(line);
  }

  get any(): boolean {
    return this.lines.length > 0;
  }

  /** Prints them on standard error; the exit status of bad input. */
  print(): 2 {
    process.stderr.write(this.lines.join('\n') + '\n');
    return 2;
  }
}

/** A file's text; `null`, and a complaint, where it cannot be read. */
export function readText(file: string, complaints: Complaints): string | null {
  try {
    return new TextDecoder('utf-8', { fatal: true }).decode(readFileSync(file));
  } catch (error) {
    const why =
      error instanceof TypeError
        ? 'found bytes that are not UTF-8, expected UTF-8'
        : `found no readable file (${(error as NodeJS.ErrnoException).code ?? 'unknown'}), expected one`;
    complaints.say(`${file}:1: the file: ${why}`);
    return null;
  }
}

/** Settings from a file; `null` without one. */
export function readSettings(file: string | undefined, complaints: Complaints): Settings | null {
  const text = file === undefined ? null : readText(file, complaints);
  if (text === null || file === undefined) return null;
  const { settings, problems } = parseSettings(text);
  complaints.add(file, problems);
  return settings;
}

export interface ReadJourneys {
  journeys: Journey[];
  /** Keys of all that were given, also of broken ones: what names them is not reported as well. */
  keys: Set<string>;
}

/**
 * Journeys from their files, held against each other, the settings and the types of fields. `alone`: references to
 * other journeys are not checked, because not all need be given.
 */
export function readJourneys(
  files: readonly string[],
  settings: Settings | null | undefined,
  types: ReadonlyMap<string, FieldType>,
  complaints: Complaints,
  alone = false
): ReadJourneys {
  const texts = files.map((file) => ({ file, text: readText(file, complaints) }));
  const all = new Map<string, Journey>();
  const keys = new Set<string>();
  for (const { file, text } of texts) {
    if (text === null) continue;
    const journey = parseJourney(text).journey;
    const key = journey?.key ?? keyIn(text);
    if (key === null) continue;
    if (keys.has(key)) complaints.say(`${file}:1: key: found "${key}", expected a key that no other journey has`);
    keys.add(key);
    // A broken journey is there, but nothing is known of its steps.
    if (journey) all.set(key, journey);
  }
  const known = new Map(types);
  if (settings)
    for (const [field, type] of compileSettings(settings).types) if (!known.has(field)) known.set(field, type);
  const others: Context['journeys'] = alone ? undefined : withBroken(all, keys);
  const context: Context = {
    types: known,
    ...(others ? { journeys: others } : {}),
    ...(settings === undefined ? {} : { settings })
  };
  const journeys: Journey[] = [];
  for (const { file, text } of texts) {
    if (text === null) continue;
    const { journey, problems } = parseJourney(text, context);
    complaints.add(file, problems);
    if (journey) journeys.push(journey);
  }
  return { journeys, keys };
}

/** Journeys by key; a broken one is there as well, but nothing is known of its steps. */
function withBroken(all: ReadonlyMap<string, Journey>, keys: ReadonlySet<string>): Map<string, Journey | null> {
  const found = new Map<string, Journey | null>(all);
  for (const key of keys) if (!found.has(key)) found.set(key, null);
  return found;
}

/** The key that a journey's text names, where the text cannot be read. */
function keyIn(text: string): string | null {
  try {
    const { key } = JSON.parse(text.replace(/^\uFEFF/, '')) as { key?: unknown };
    return typeof key === 'string' ? key : null;
  } catch {
    return null;
  }
}
