/** Whether the inbox takes more of what is asked of many: nobody else's happenings stand behind a million of these. */
import type { Db } from '../db/pool.ts';

/** With so many requests waiting, the next portion waits. */
const MOST_WAITING = 4000;

export async function inboxHasRoom(db: Db): Promise<boolean> {
  const { rows } = await db.query<{ n: number }>({
    name: 'inbox-room',
    text: `select count(*) as n from (
      select from happenings h where h.handled_at is null
        and not exists (select from set_aside a where a.person_id = h.person_id) limit ${MOST_WAITING}) as w`
  });
  return (rows[0]?.n ?? 0) < MOST_WAITING;
}
