/** Trying a message again before its time. */
import { now } from '../clock/clock.ts';
import { notify } from '../db/notify.ts';
import { ts, type Db } from '../db/pool.ts';

/** Makes a message that waits for another try due now. False where it does not wait. */
export async function retryMessage(db: Db, person: number, message: number): Promise<boolean> {
  const { rowCount } = await db.query(
    `update messages set try_at = $3 where person_id = $1 and id = $2 and state = 'queued' and attempts > 0`,
    [person, message, ts(await now(db))]
  );
  await notify(db, 'outbox');
  return rowCount === 1;
}
