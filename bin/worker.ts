/** Starts one worker; any number may run against one database. */
import pino from 'pino';
import { getConfig } from '../server/config.ts';
import { openPool } from '../server/db/pool.ts';
import { openEngine } from '../server/running/context.ts';
import { onEnding } from '../server/ending.ts';
import { startWorker } from '../server/running/worker.ts';
import { whenThere } from './when-there.ts';

const log = pino({ name: 'worker' });
const config = getConfig();
const pool = openPool(config.DATABASE_URL);
let begun = false;
process.on('disconnect', () => begun || process.exit(0));
const engine = await whenThere(() => openEngine(config, pool), log);
const worker = startWorker(engine, config.DATABASE_URL, log);
begun = true;
log.info('ready');
process.send?.('ready');

// Also when whoever started it is gone: a start that was killed leaves nothing behind.
onEnding(() => {
  void worker.stop().then(async () => {
    await pool.end();
    process.exit(0);
  });
});
