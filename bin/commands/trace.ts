/** `ambulo trace`: reads the files, says all that is wrong with them, or prints the trail. */
import { once } from 'node:events';
import { parseArgs } from 'node:util';
import { parseHappenings } from '../../core/replay/happenings.ts';
import { Lines } from '../../core/replay/lines.ts';
import { readPeople } from '../../core/replay/people.ts';
import { replayInto } from '../../core/replay/replay.ts';
import { compileSettings } from '../../core/settings/workspace.ts';
import { stepsOf } from '../../core/journey/walk-document.ts';
import { parseInstant } from '../../core/time/instant.ts';
import { Complaints, readJourneys, readSettings, readText } from './files.ts';

const USAGE =
  'usage: ambulo trace --journey FILE [--journey FILE …] --people FILE.csv --happenings FILE.ndjson --until INSTANT [--from INSTANT] [--settings FILE]\n';

/** Runs the command; the exit status. 0: printed; 2: bad input, told on standard error. */
export async function trace(args: string[]): Promise<number> {
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
  const complaints = new Complaints();
  const instantOf = (option: string, text: string): number => {
    const at = parseInstant(text);
    if (at === null) complaints.say(`--${option}: found "${text}", expected an instant such as "2027-03-01T09:00:00Z"`);
    return at ?? 0;
  };

  const settings = readSettings(options.settings, complaints);
  const declared = compileSettings(settings).types;
  const peopleText = readText(peopleFile, complaints);
  const people = readPeople(peopleText ?? 'id\n', declared);
  const types = new Map([...declared, ...people.types]);
  // Broken settings are told once, not again by every journey that names something of them.
  const known = options.settings !== undefined && !settings ? undefined : settings;
  const { journeys, keys } = readJourneys(files, known, types, complaints);
  complaints.add(peopleFile, people.problems);

  const happeningsText = readText(happeningsFile, complaints);
  const heard = parseHappenings(happeningsText ?? '', {
    // With the people unread, "no such person" would be said of everyone.
    people: people.problems.length || peopleText === null ? { has: () => true } : { has: people.has },
    journeys: keys,
    types,
    ...(journeys.length === keys.size
      ? {
          steps: new Map(journeys.map((j) => [j.key, new Map(stepsOf(j.lane).map((s) => [s.key, s.kind]))]))
        }
      : {})
  });
  complaints.add(happeningsFile, heard.problems);

  const end = instantOf('until', until);
  const first = Math.min(heard.inputs[0]?.at ?? end, end);
  const from = options.from === undefined ? first : instantOf('from', options.from);
  if (from > end) complaints.say(`--from: found an instant after --until, expected one before it`);
  for (const { input, at, line } of heard.inputs) {
    if (input.kind === 'enter' && at < from)
      complaints.say(`${happeningsFile}:${line}: time: found an entry by hand before --from, expected one after it`);
  }
  if (complaints.any) return complaints.print();

  const lines = new Lines();
  replayInto(
    { journeys, settings, types: people.types, people, inputs: heard.inputs, from, until: end },
    (line, place) => lines.add(line, place)
  );
  for (const text of lines.text(people.ids)) {
    if (!process.stdout.write(text)) await once(process.stdout, 'drain');
  }
  return 0;
}
