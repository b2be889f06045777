/** What a journey that was ended leaves behind: messages and errands that are written and do not go out any more. */
import type { Db } from '../db/pool.ts';

/** Rows of one statement: the next is another one. */
const PORTION = 5000;

const WAITING = {
  messages: `state = 'failed', trouble = 'ended', error = 'the journey was ended before it went out', not_before = null`,
  errands: `state = 'failed', error = 'the journey was ended before it was done', not_before = null`
};

/**
 * Marks what waits as not sent, a portion at a time. Nothing of it goes out meanwhile either: what is claimed, and what goes to
 * the wire, asks for the journey's state. What is in hand just now is marked by whoever puts it back.
 */
export async function dropWaiting(db: Db, journeyId: number): Promise<void> {
  for (const [table, as] of Object.entries(WAITING)) {
    for (let rows = PORTION; rows === PORTION;) {
      const { rowCount } = await db.query(
        `update ${table} t set ${as}
         from (select person_id, id from ${table} where journey_id = $1 and state = 'queued' limit ${PORTION} for update skip locked) as w
         where t.person_id = w.person_id and t.id = w.id`,
        [journeyId]
      );
      rows = rowCount ?? 0;
    }
  }
}
