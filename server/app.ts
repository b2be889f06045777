/** What the web server holds while it runs: one pool, made on first use. */
import { getConfig, type Config } from './config.ts';
import { openPool, type Pool } from './db/pool.ts';

let pool: Pool | null = null;

export function db(): Pool {
  return (pool ??= openPool(getConfig().DATABASE_URL, 16));
}

export function config(): Config {
  return getConfig();
}
