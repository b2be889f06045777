/** The demo: everything started, with demo data, until Ctrl C. */
import { join } from 'node:path';
import { DEMO_NOW, DEMO_START, loadDemo } from '../demo/load.ts';
import { dataDir, start, type Ports } from './start.ts';

const root = join(import.meta.dirname, '..');
const dir = join(dataDir(root), 'demo');
const fresh = process.argv.includes('--fresh');
const PORTS: Ports = { web: 4310, database: 4311, smtp: 4312, postbox: 4313, handset: 4314, passersBy: 4315 };

const say = (line: string): void => void process.stdout.write(`· ${line}\n`);
const began = Date.now();
const running = await start({ root, dir, fresh, ports: PORTS, clock: DEMO_START, say });

let stopping = false;
const stop = async (status: number): Promise<void> => {
  if (stopping) return;
  stopping = true;
  process.stdout.write('\n· stopping; everything is kept for the next start\n');
  await running.stop();
  process.exit(status);
};
process.on('SIGINT', () => void stop(0));
process.on('SIGTERM', () => void stop(0));

// A start that ended in the middle of the history goes back to the beginning.
const { rows } = await running.pool.query<{ loaded: boolean }>('select practice_now >= $1 as loaded from workspace', [
  new Date(DEMO_NOW)
]);
if (!running.fresh && !rows[0]?.loaded) {
  say('the demo data was not loaded to its end last time; run "npm run demo -- --fresh" to begin anew');
}
if (running.fresh) {
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
    await loadDemo(running.pool, join(root, 'demo'), DEMO_NOW, progress);
  } catch (error) {
    process.stderr.write(`\nThe demo data could not be loaded: ${(error as Error).message}\nLogs are in ${dir}\n`);
    await stop(1);
  }
  if (tty) process.stdout.write('\r' + ' '.repeat(44) + '\r');
}

const { ports } = running;
process.stdout.write(`
Ambulo is running (ready in ${Math.round((Date.now() - began) / 1000)} s).

  Open          ${running.web}
  Sign in as    nuala@quillmoor.example, password dome-at-dusk (filled in for you)

  database      postgresql://ambulo@127.0.0.1:${ports.database}/ambulo
  Postbox       SMTP on ${ports.smtp}, mail read under Stand-ins
  Handset       SMS gateway on ${ports.handset}, phones under Stand-ins
  Passers-by    on ${ports.passersBy}: they react while the practice clock is skipped ahead
  data, logs    ${dir}

  Stop with Ctrl C; a next start keeps all data. "npm run demo -- --fresh" begins anew.
`);
