/** Starts one worker; any number may run against one database. */
import pino from 'pino';
import { getConfig } from '../server/config.ts';
import { openPool } from '../server/db/pool.ts';
import { openEngine } from '../server/engine/context.ts';
import { startWorker } from '../server/engine/worker.ts';

const log = pino({ name: 'worker' });
const config = getConfig();
const pool = openPool(config.DATABASE_URL);
const worker = startWorker(await openEngine(config, pool), config.DATABASE_URL, log);
log.info('ready');
process.send?.('ready');

const stop = (): void => {
  void worker.stop().then(async () => {
    await pool.end();
    process.exit(0);
  });
};
process.on('SIGTERM', stop);
process.on('SIGINT', stop);
