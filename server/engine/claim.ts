/**
 * Claiming people with work to do. The lock is on the person's row, so one
 * person is worked on by one worker at a time; others skip and take the next.
 * FOR NO KEY UPDATE, because an intake that stores a happening takes a key
 * share on the same row and must not wait for a worker.
 */
import { ts, type Db } from '../db/pool.ts';

/** Ids of the people claimed until the end of the transaction, at most `most` from either queue. */
export async function claimPeople(db: Db, now: number, most: number): Promise<number[]> {
  const inbox = await db.query<{ id: number }>({
    name: 'claim-inbox',
    text: `
      select p.id
      from happenings h
      join people p on p.id = h.person_id
      where h.handled_at is null
      order by h.id
      limit $1
      for no key update of p skip locked`,
    values: [most]
  });
  const due = await db.query<{ id: number }>({
    name: 'claim-due',
    text: `
      select p.id
      from walks w
      join people p on p.id = w.person_id
      where w.due_at <= $1
      order by w.due_at
      limit $2
      for no key update of p skip locked`,
    values: [ts(now), most]
  });
  return [...new Set([...inbox.rows, ...due.rows].map((r) => r.id))];
}
