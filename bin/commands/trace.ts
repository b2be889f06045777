/** `ambulo trace`: reads the files, says all that is wrong with them, or prints the trail. */
import { readFileSync } from 'node:fs';
import { parseArgs } from 'node:util';
import { parseJourney, type PlacedProblem } from '../../core/journey/parse.ts';
import type { Journey } from '../../core/journey/schema.ts';
import { parseHappenings } from '../../core/replay/happenings.ts';
import { parsePeople } from '../../core/replay/people.ts';
import { replay } from '../../core/replay/replay.ts';
import { parseInstant } from '../../core/time/instant.ts';

const USAGE =
  'usage: ambulo trace --journey FILE [--journey FILE …] --people FILE.csv --happenings FILE.ndjson --until INSTANT [--from INSTANT]\n';

/** Runs the command; the exit status. 0: printed; 2: bad input, told on standard error. */
export async function trace(args: string[]): Promise<number> {
  const complaints: string[] = [];
  let options;
  try {
    options = parseArgs({
      args,
      options: {
        journey: { type: 'string', multiple: true },
        people: { type: 'string' },
        happenings: { type: 'string' },
        until: { type: 'string' },
        from: { type: 'string' },
        settings: { type: 'string' }
      }
    }).values;
  } catch (error) {
    process.stderr.write(`ambulo trace: ${(error as Error).message}\n${USAGE}`);
    return 2;
  }
  const { journey: files, people: peopleFile, happenings: happeningsFile, until } = options;
  if (!files?.length || !peopleFile || !happeningsFile || !until) {
    process.stderr.write(`ambulo trace: --journey, --people, --happenings and --until are needed\n${USAGE}`);
    return 2;
  }
  if (options.settings) complaints.push('--settings: found a settings file, which is not supported yet');

  const read = (file: string): string | null => {
    try {
      return new TextDecoder('utf-8', { fatal: true }).decode(readFileSync(file));
    } catch (error) {
      const why =
        error instanceof TypeError
          ? 'found bytes that are not UTF-8, expected UTF-8'
          : `found no readable file (${(error as NodeJS.ErrnoException).code ?? 'unknown'}), expected one`;
      complaints.push(`${file}:1: the file: ${why}`);
      return null;
    }
  };
  const complain = (file: string, problems: PlacedProblem[]): void => {
    for (const p of problems) complaints.push(`${file}:${p.line}: ${p.path}: ${p.message}`);
  };
  const instantOf = (option: string, text: string): number => {
    const at = parseInstant(text);
    if (at === null)
      complaints.push(`--${option}: found "${text}", expected an instant such as "2027-03-01T09:00:00Z"`);
    return at ?? 0;
  };

  const journeys: Journey[] = [];
  // A journey that is broken still has a key, so that happenings which name it are not reported as well.
  const keys = new Set<string>();
  for (const file of files) {
    const text = read(file);
    if (text === null) continue;
    const parsed = parseJourney(text);
    complain(file, parsed.problems);
    const key = parsed.journey?.key ?? /"key"\s*:\s*"([^"]+)"/.exec(text)?.[1];
    if (key && keys.has(key))
      complaints.push(`${file}:1: key: found "${key}", expected a key that no other journey has`);
    if (key) keys.add(key);
    if (parsed.journey) journeys.push(parsed.journey);
  }
  const peopleText = read(peopleFile);
  const { people, problems: bad } = peopleText === null ? { people: [], problems: [] } : parsePeople(peopleText);
  complain(peopleFile, bad);
  const ids = new Set(people.map((p) => p.id));
  const happeningsText = read(happeningsFile);
  const heard =
    happeningsText === null
      ? { inputs: [], problems: [] }
      : parseHappenings(happeningsText, { people: ids, journeys: keys });
  // With the people unread, "no such person" would be said of everyone.
  complain(
    happeningsFile,
    bad.length || peopleText === null ? heard.problems.filter((p) => p.path !== 'subject') : heard.problems
  );

  const end = instantOf('until', until);
  const first = Math.min(heard.inputs[0]?.at ?? end, end);
  const from = options.from === undefined ? first : instantOf('from', options.from);
  for (const { input, at, line } of heard.inputs) {
    if (input.kind === 'enter' && at < from)
      complaints.push(`${happeningsFile}:${line}: time: found an entry by hand before --from, expected one after it`);
  }
  if (complaints.length) {
    process.stderr.write(complaints.join('\n') + '\n');
    return 2;
  }
  const lines = replay({ journeys, people, inputs: heard.inputs, from, until: end });
  process.stdout.write(lines.map((line) => JSON.stringify(line) + '\n').join(''));
  return 0;
}
