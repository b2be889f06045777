/**
 * Claiming people with work to do. The lock is on the person's row, so one
 * person is worked on by one worker at a time; others skip and take the next.
 * FOR NO KEY UPDATE, because an intake that stores a happening takes a key
 * share on the same row and must not wait for a worker.
 */
import { ts, type Db } from '../db/pool.ts';

/** Held in common by every batch while it works; whoever has to know that none is under way takes it alone. */
export const BATCHES_LOCK = 4_116_003;

/** Waits until the batches under way are over: those that begin now see what was changed before. In a transaction, until its end. */
export async function afterBatches(db: Db): Promise<void> {
  await db.query('select pg_advisory_xact_lock($1)', [BATCHES_LOCK]);
}

/** Those set aside wait for their own try. */
const NOT_ASIDE = 'not exists (select from set_aside a where a.person_id = p.id)';

/**
 * Ids of the people claimed until the end of the transaction, at most `most` from either queue: those for whom something waits
 * longest, and beside them others, so that one who is told of by the hundred thousand keeps nobody waiting for more than a batch.
 */
export async function claimPeople(db: Db, now: number, most: number): Promise<number[]> {
  const inbox = await db.query<{ id: number }>({
    name: 'claim-inbox',
    text: `
      select p.id
      from happenings h
      join people p on p.id = h.person_id
      where h.handled_at is null and ${NOT_ASIDE}
      order by h.id
      limit $1
      for no key update of p skip locked`,
    values: [most]
  });
  const first = new Set(inbox.rows.map((r) => r.id));
  // What waits longest is told of few, again and again: others have their turn beside them, from somewhere on and around.
  const beside =
    inbox.rows.length === most && first.size < most
      ? [
          ...(await besideThem(db, most - first.size, Math.floor(Math.random() * Number.MAX_SAFE_INTEGER))),
          ...(await besideThem(db, most - first.size, 0))
        ]
      : [];
  const due = await db.query<{ id: number }>({
    name: 'claim-due',
    text: `
      select p.id
      from agenda g
      join people p on p.id = g.person_id
      where g.next_at <= $1 and ${NOT_ASIDE}
      order by g.next_at
      limit $2
      for no key update of p skip locked`,
    values: [ts(now), most]
  });
  return [...new Set([...first, ...beside, ...due.rows.map((r) => r.id)])];
}

/** People for whom something waits, each found by a jump over what waits for the one before. `chance` says where it begins. */
async function besideThem(db: Db, most: number, chance: number): Promise<number[]> {
  const { rows } = await db.query<{ id: number }>({
    name: 'claim-beside',
    text: `
      with recursive waiting as (
        (select person_id from happenings
          where handled_at is null
            and person_id >= $2::bigint % greatest(1, coalesce((select max(person_id) from happenings where handled_at is null), 1))
          order by person_id limit 1)
        union all
        select (select h.person_id from happenings h
          where h.handled_at is null and h.person_id > w.person_id order by h.person_id limit 1)
        from waiting w where w.person_id is not null
      )
      select p.id from waiting w join people p on p.id = w.person_id
      where ${NOT_ASIDE}
      limit $1
      for no key update of p skip locked`,
    values: [most, chance]
  });
  return rows.map((r) => r.id);
}

/** One person who was set aside and whose next try has come; `null` where there is none. */
export async function claimAside(db: Db): Promise<number | null> {
  const { rows } = await db.query<{ id: number }>({
    name: 'claim-aside',
    text: `
      select p.id
      from set_aside a
      join people p on p.id = a.person_id
      where a.next_try <= clock_timestamp()
      order by a.next_try
      limit 1
      for no key update of p skip locked`
  });
  return rows[0]?.id ?? null;
}

/** Locks those of these people whom nobody else works on, until the end of the transaction. */
export async function claimThese(db: Db, ids: number[]): Promise<number[]> {
  const { rows } = await db.query<{ id: number }>({
    name: 'claim-these',
    text: `
      select p.id from people p
      where p.id = any($1::bigint[]) and ${NOT_ASIDE}
      order by p.id
      for no key update of p skip locked`,
    values: [ids]
  });
  return rows.map((r) => r.id);
}
