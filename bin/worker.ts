/** Starts one worker; any number may run against one database. */
import pino from 'pino';
import { getConfig } from '../server/config.ts';
import { isUnavailable, openPool } from '../server/db/pool.ts';
import { openEngine } from '../server/engine/context.ts';
import { startWorker } from '../server/engine/worker.ts';

const log = pino({ name: 'worker' });
const config = getConfig();
const pool = openPool(config.DATABASE_URL);
const engine = await whenThere(() => openEngine(config, pool));
const worker = startWorker(engine, config.DATABASE_URL, log);
log.info('ready');
process.send?.('ready');

/** A worker may start before the database does. */
async function whenThere<T>(open: () => Promise<T>): Promise<T> {
  for (;;) {
    try {
      return await open();
    } catch (error) {
      if (!isUnavailable(error)) throw error;
      log.warn('the database is away; trying again');
      await new Promise((resolve) => setTimeout(resolve, 1000));
    }
  }
}

const stop = (): void => {
  void worker.stop().then(async () => {
    await pool.end();
    process.exit(0);
  });
};
process.on('SIGTERM', stop);
process.on('SIGINT', stop);
