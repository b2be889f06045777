/**
 * Letting go of what is old: happenings, trails, messages, errands and walks that ended
 * longer ago than the setting says. A few at a time, each portion a transaction
 * of its own, so that nobody waits for it. What a walk under way may still ask
 * for stays, however old; figures stay, because they were counted as it
 * happened; and who has entered a journey once is known without their walks.
 */
import { ts, type Pool } from '../db/pool.ts';

/** Rows let go in one statement, so that none holds its locks for long. */
const PORTION = 2000;

/** A walk that still hears of things, or is watched for its goal. */
const UNDER_WAY = (row: string): string =>
  `exists (select from walks w where w.person_id = ${row}.person_id and w.id = ${row}.walk_id
     and (w.state = 'walking' or w.watch_until >= $1::timestamptz))`;

const PORTIONS: { name: string; text: string }[] = [
  {
    name: 'old-trail',
    text: `
      delete from trail t using (
        select person_id, id from trail r where r.at < $1 and not ${UNDER_WAY('r')} limit ${PORTION}
      ) old
      where t.person_id = old.person_id and t.id = old.id`
  },
  {
    name: 'old-happenings',
    text: `
      delete from happenings h using (
        select person_id, id from happenings r
        where r.at < $1 and r.handled_at is not null and not ${UNDER_WAY('r')} limit ${PORTION}
      ) old
      where h.person_id = old.person_id and h.id = old.id`
  },
  {
    name: 'old-messages',
    text: `
      delete from messages m using (
        select person_id, id from messages r
        where r.created_at < $1 and r.state in ('sent', 'failed', 'bounced') and not ${UNDER_WAY('r')} limit ${PORTION}
      ) old
      where m.person_id = old.person_id and m.id = old.id`
  },
  {
    name: 'old-errands',
    text: `
      delete from errands e using (
        select person_id, id from errands r
        where r.ended_at < $1 and r.state in ('done', 'failed') and not ${UNDER_WAY('r')} limit ${PORTION}
      ) old
      where e.person_id = old.person_id and e.id = old.id`
  },
  {
    name: 'old-answers',
    text: `
      delete from answers a using (
        select person_id, id from answers r where r.at < $1 and r.state in ('sent', 'failed') limit ${PORTION}
      ) old
      where a.person_id = old.person_id and a.id = old.id`
  },
  {
    name: 'old-tasks',
    text: `
      delete from tasks t using (
        select id from tasks r where r.done_at < $1 and not ${UNDER_WAY('r')} limit ${PORTION}
      ) old
      where t.id = old.id`
  },
  {
    // An event that is told again after so long is taken for another.
    name: 'old-events-seen',
    text: `delete from events_seen e using (select key from events_seen where at < $1 limit ${PORTION}) old where e.key = old.key`
  },
  {
    name: 'old-walks',
    text: `
      delete from walks w using (
        select person_id, id from walks r
        where r.ended_at < $1 and (r.watch_until is null or r.watch_until < $1) limit ${PORTION}
      ) old
      where w.person_id = old.person_id and w.id = old.id`
  }
];

/** Lets one portion of each go that is older than `before` (UTC ms); how many rows that were. */
export async function letGo(pool: Pool, before: number): Promise<number> {
  let gone = 0;
  for (const { name, text } of PORTIONS) {
    const { rowCount } = await pool.query({ name, text, values: [ts(before)] });
    gone += rowCount ?? 0;
  }
  return gone;
}
