/** `ambulo worker`: works until it is told to end (SIGTERM, Ctrl C). */
import { parseArgs } from 'node:util';
import { getConfig } from '../../server/config.ts';

const USAGE = 'usage: ambulo worker\nIts settings are environment variables: see server/config.ts.\n';

/** Runs one worker in this process; any number may share the work of one database. Exit status 2 where settings are missing. */
export async function worker(args: string[]): Promise<number> {
  try {
    parseArgs({ args, options: {} });
    getConfig();
  } catch (error) {
    process.stderr.write(`ambulo worker: ${(error as Error).message}\n${USAGE}`);
    return 2;
  }
  await import('../worker.ts');
  // It ends the process itself, once what it has in hand is done.
  return new Promise<number>(() => undefined);
}
