/** `ambulo check`: the findings of journeys, without running them. */
import { parseArgs } from 'node:util';
import { findingsOf } from '../../core/check/index.ts';
import { compileSettings } from '../../core/settings/workspace.ts';
import { Complaints, readJourneys, readSettings } from './files.ts';

const USAGE = 'usage: ambulo check FILE [FILE …] [--settings FILE]\n';

/**
 * Runs the command; the exit status. 0: every file can be read, what is worth a look is printed, one finding a line;
 * 1: something would keep a journey from going live; 2: bad input, told on standard error.
 */
export function check(args: string[]): Promise<number> {
  let parsed;
  try {
    parsed = parseArgs({ args, allowPositionals: true, options: { settings: { type: 'string' } } });
  } catch (error) {
    process.stderr.write(`ambulo check: ${(error as Error).message}\n${USAGE}`);
    return Promise.resolve(2);
  }
  const files = parsed.positionals;
  if (!files.length) {
    process.stderr.write(`ambulo check: at least one file is needed\n${USAGE}`);
    return Promise.resolve(2);
  }
  const complaints = new Complaints();
  const settings = readSettings(parsed.values.settings, complaints);
  const types = compileSettings(settings).types;
  // One file alone may hand over to journeys that are not here; several are held against each other.
  const { journeys } = readJourneys(files, settings ?? undefined, types, complaints, files.length === 1);
  if (complaints.any) return Promise.resolve(complaints.print());
  let blocked = false;
  journeys.forEach((journey, i) => {
    for (const f of findingsOf(journey)) {
      blocked ||= f.severity === 'blocker';
      process.stdout.write(`${files[i]}: ${f.step ?? 'the journey'}: ${f.severity}: ${f.text} ${f.hint}\n`);
    }
  });
  return Promise.resolve(blocked ? 1 : 0);
}
