/** Reading the happenings of a replay: CloudEvents 1.0 JSON, one a line. Rules: docs/journey-language.md, "Replay". */
import { DEEPEST, textDepth, TOO_DEEP } from '../journey/depth.ts';
import { found, pathText, type Path } from '../journey/problems.ts';
import type { PlacedProblem } from '../journey/parse.ts';
import { readEnvelope, readEvent, type EventsKnown } from '../events/event.ts';
import type { Subject } from '../person/subject.ts';
import type { Input } from '../person/world.ts';

export interface TimedInput {
  at: number;
  person: string;
  line: number;
  /** The step a message happening names; its walk is found when it is handled. */
  of?: Subject;
  input: Input;
}

/** What a file of happenings is held against. */
export interface Known extends EventsKnown {
  people: { has(id: string): boolean };
}

/** Inputs in order of their instants (file order within one), or all that is wrong with the file. */
export function parseHappenings(text: string, known: Known): { inputs: TimedInput[]; problems: PlacedProblem[] } {
  const problems: PlacedProblem[] = [];
  const inputs: TimedInput[] = [];
  const seen = new Set<string>();
  let number = 0;
  let sorted = true;
  // Line by line from the text itself: a million lines need not stand beside it as well.
  for (let from = text.charCodeAt(0) === 0xfeff ? 1 : 0; from < text.length;) {
    const newline = text.indexOf('\n', from);
    const end = newline < 0 ? text.length : newline;
    const raw = text.slice(from, end);
    from = end + 1;
    number++;
    if (raw.trim() === '') continue;
    const read = readLine(raw, number, known, seen, problems);
    if (!read) continue;
    sorted &&= inputs.length === 0 || (inputs.at(-1)?.at ?? 0) <= read.at;
    inputs.push(read);
  }
  if (!sorted) inputs.sort((a, b) => a.at - b.at || a.line - b.line);
  return { inputs, problems };
}

function readLine(
  raw: string,
  line: number,
  known: Known,
  seen: Set<string>,
  problems: PlacedProblem[]
): TimedInput | null {
  const say = (path: Path, message: string): void => void problems.push({ line, path: pathText(path), message });
  const depth = textDepth(raw);
  if (depth > DEEPEST) {
    problems.push({ line, path: 'the line', message: `found ${depth}, ${TOO_DEEP}` });
    return null;
  }
  let json: unknown;
  try {
    json = JSON.parse(raw);
  } catch {
    problems.push({
      line,
      path: 'the line',
      message: `found ${found(raw)}, which is not JSON, expected one happening`
    });
    return null;
  }
  const event = readEnvelope(json, say);
  if (!event) return null;
  const identity = `${event.source}\n${event.id}`;
  if (seen.has(identity)) return null;
  seen.add(identity);
  const before = problems.length;
  if (!known.people.has(event.subject))
    say(['subject'], `found ${found(event.subject)}, expected the id of a person in the CSV`);
  const read = readEvent(event, known, say);
  if (!read || problems.length > before) return null;
  const { at, input, of } = read;
  return { at, person: event.subject, line, input, ...(of ? { of } : {}) };
}
