/** A program may start before the database does. */
import type { Logger } from 'pino';
import { isUnavailable } from '../server/db/pool.ts';

/** Opens something once the database is there. */
export async function whenThere<T>(open: () => Promise<T>, log: Logger): Promise<T> {
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
