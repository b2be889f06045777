/** The demo: everything started, with demo data, until Ctrl C. */
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { DEMO_NOW, DEMO_START, loadDemo } from '../demo/load.ts';
import { BadFolder, dataDir, ownFolder } from './data-folder.ts';
import { start, type Ports, type Running } from './start.ts';

const root = join(import.meta.dirname, '..');
const fresh = process.argv.includes('--fresh');
const PORTS: Ports = {
  web: 4310,
  database: 4311,
  smtp: 4312,
  postbox: 4313,
  handset: 4314,
  passersBy: 4315,
  mailIn: 4316
};

const say = (line: string): void => void process.stdout.write(`· ${line}\n`);
const began = Date.now();

let running: Running | null = null;
let stopping = false;
const stop = async (status: number): Promise<never> => {
  if (!stopping) {
    stopping = true;
    if (running) process.stdout.write('\n· stopping; everything is kept for the next start\n');
    await running?.stop();
    process.exit(status);
  }
  // Whoever comes second waits for the first, which ends the process.
  return new Promise(() => undefined);
};
// Before there is anything to stop in order, ending is enough: what has been started ends with this process.
for (const signal of ['SIGINT', 'SIGTERM', 'SIGHUP'] as const) process.on(signal, () => void stop(0));
process.on('disconnect', () => void stop(0));

try {
  const parent = dataDir(root);
  ownFolder(parent);
  const dir = join(parent, 'demo');
  running = await start({ root, dir, fresh, ports: PORTS, clock: DEMO_START, visitorsFrom: DEMO_NOW, say });
  await loadWorld(running, dir);
  tell(running, dir);
} catch (error) {
  const known = error instanceof BadFolder || running === null;
  process.stderr.write(`\n${known ? '' : 'The demo data could not be loaded: '}${(error as Error).message}.\n`);
  await stop(1);
}

async function loadWorld({ pool, fresh: made }: Running, dir: string): Promise<void> {
  if (!made) {
    // A start that ended in the middle of the history goes back to the beginning.
    const { rows } = await pool.query<{ loaded: boolean }>('select practice_now >= $1 as loaded from workspace', [
      new Date(DEMO_NOW)
    ]);
    if (!rows[0]?.loaded)
      say('the demo data was not loaded to its end last time; run "npm run demo -- --fresh" to begin anew');
    return;
  }
  say('loading the demo world: seven weeks at the Quillmoor Observatory');
  const tty = process.stdout.isTTY;
  let last = '';
  const progress = (text: string): void => {
    // Without a terminal, one line a week is enough.
    if (tty) process.stdout.write(`\r  ${text.padEnd(40)}`);
    else if (text.slice(0, 16) !== last.slice(0, 16)) say(text);
    last = text;
  };
  try {
    await loadDemo(pool, join(root, 'demo'), DEMO_NOW, progress, {
      whole: true,
      keepKey: (token) => writeFileSync(join(dir, 'stand-ins', 'api-key'), token, { mode: 0o600 })
    });
  } catch (error) {
    throw new Error(`${(error as Error).message}. Logs are in ${dir}`, { cause: error });
  }
  if (tty) process.stdout.write('\r' + ' '.repeat(44) + '\r');
}

function tell({ web, ports }: Running, dir: string): void {
  process.stdout.write(`
Ambulo is running (ready in ${Math.round((Date.now() - began) / 1000)} s).

  Open          ${web}
  Sign in as    nuala@quillmoor.example, password dome-at-dusk (filled in for you)

  database      on ${ports.database}, user ambulo; its password is in ${dir}/postgres/passwords.json
  Postbox       SMTP on ${ports.smtp}, mail read under Stand-ins
  Mail in       SMTP on ${ports.mailIn}: answers, delivery reports, complaints
  Handset       SMS gateway on ${ports.handset}, phones under Stand-ins
  Passers-by    on ${ports.passersBy}: they react while the practice clock is skipped ahead
  data, logs    ${dir}

  Stop with Ctrl C; a next start keeps all data. "npm run demo -- --fresh" begins anew.
`);
}
