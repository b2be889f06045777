/**
 * Connections to PostgreSQL. Instants come and go as UTC milliseconds, ids as
 * numbers; `ts` turns milliseconds into a parameter.
 */
import pg from 'pg';

pg.types.setTypeParser(pg.types.builtins.INT8, Number);
pg.types.setTypeParser(pg.types.builtins.NUMERIC, Number);
pg.types.setTypeParser(pg.types.builtins.TIMESTAMPTZ, (text) => new Date(text).getTime());

export type Pool = pg.Pool;
/** Anything that runs statements: the pool, or one connection inside a transaction. */
export type Db = pg.Pool | pg.PoolClient;

// A statement prepared while its tables were small keeps a plan for small tables until they are analysed: on a workspace
// that fills quickly that was a sixth of the speed. Planned each time, it goes by the size the tables have now.
const PLANNING = '-c plan_cache_mode=force_custom_plan -c jit=off';

/** No statement takes longer, ms, but where whoever runs it says so: one that does is an error, not a server that hangs. */
const LONGEST = 60_000;

/** A new pool; `max` connections at most; `longest`: how long a statement may take, ms, 0 is for ever. Broken idle connections are dropped and made anew. */
export function openPool(connectionString: string, max = 10, longest = LONGEST): Pool {
  const pool = new pg.Pool({
    connectionString,
    max,
    connectionTimeoutMillis: 5000,
    options: `${PLANNING} -c statement_timeout=${longest}`
  });
  // Without a listener a connection that breaks would end the process: idle ones tell the pool, those in use tell only
  // themselves. Whoever uses one learns it from their next statement, which fails.
  pool.on('error', () => undefined);
  pool.on('connect', (client) => client.on('error', () => undefined));
  return pool;
}

/** UTC milliseconds as a query parameter; null stays null. */
export function ts(at: number | null): string | null {
  return at === null ? null : new Date(at).toISOString();
}

/**
 * Runs work in one transaction: committed when it returns, rolled back when it throws. `longest`: how long a statement of it may
 * take, ms, where that is another time than for all others; 0 is for ever.
 */
export async function transaction<T>(
  pool: Pool,
  work: (db: pg.PoolClient) => Promise<T>,
  { longest }: { longest?: number } = {}
): Promise<T> {
  const db = await pool.connect();
  let broken: Error | undefined;
  try {
    await db.query('begin');
    if (longest !== undefined) await db.query(`set local statement_timeout = ${longest}`);
    const result = await work(db);
    await db.query('commit');
    return result;
  } catch (error) {
    await db.query('rollback').catch((e: Error) => (broken = e));
    throw error;
  } finally {
    // A connection that could not roll back is not given to anyone else.
    db.release(broken);
  }
}

/** A transaction that goes through everything there is in one statement, and that somebody waits for knowingly: up to an hour each. */
export const longTransaction = <T>(pool: Pool, work: (db: pg.PoolClient) => Promise<T>): Promise<T> =>
  transaction(pool, work, { longest: 3_600_000 });

const GONE = new Set([
  'ECONNREFUSED',
  'ECONNRESET',
  'EPIPE',
  'ETIMEDOUT',
  'ENOENT',
  '57P01',
  '57P02',
  '57P03',
  '08006',
  '08003',
  '08001',
  '53300'
]);

/** Whether an error says that the database cannot be reached now, rather than that a statement is wrong. */
export function isUnavailable(error: unknown): boolean {
  if (!(error instanceof Error)) return false;
  if (error instanceof AggregateError) return error.errors.some(isUnavailable);
  const code = (error as { code?: string }).code;
  if (code !== undefined && GONE.has(code)) return true;
  return /Connection terminated|timeout exceeded when trying to connect|Client has encountered a connection error/.test(
    error.message
  );
}

/** Errors that say something of the moment, not of what was to be written: full, too busy, taken back by a deadlock. */
const OF_THE_MOMENT = /^(?:53|55|57|58|40|08)/;

/** Whether an error says that whom it names is gone: erased, or made one with somebody else (foreign_key_violation). */
export const isGoneMeanwhile = (error: unknown): boolean => (error as { code?: unknown } | null)?.code === '23503';

/** Work that looks somebody up and stores something of theirs; once more where they have gone in between. */
export async function againIfGone<T>(work: () => Promise<T>): Promise<T> {
  try {
    return await work();
  } catch (error) {
    if (!isGoneMeanwhile(error)) throw error;
    return work();
  }
}

/** Whether an error is no fault of the values a statement was given: the same work may succeed another time. */
export function isNobodysFault(error: unknown): boolean {
  if (isUnavailable(error)) return true;
  const code = (error as { code?: unknown } | null)?.code;
  return typeof code === 'string' && code.length === 5 && OF_THE_MOMENT.test(code);
}
