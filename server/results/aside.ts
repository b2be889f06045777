/** What was set aside or failed and wants a look: people whose work fails, and errands that came to nothing. */
import { nameSql } from '../db/person-name.ts';
import { notify } from '../db/notify.ts';
import type { Db } from '../db/pool.ts';
import { JAMMING, type Jamming } from '../engine/set-aside.ts';

export interface AsideLine {
  person: number;
  name: string;
  error: string;
  attempts: number;
  since: number;
  nextTry: number;
  /** What was asked for and makes it fail, where it is that. */
  jamming: Jamming | null;
}

export interface FailedErrand {
  person: number;
  id: number;
  name: string;
  kind: string;
  journey: string;
  journeyKey: string;
  step: string;
  at: number;
  error: string;
  attempts: number;
  state: 'queued' | 'failed';
  answer: { status: number; body: string } | null;
}

const MOST = 200;
const NAME = `${nameSql()} as name`;

export async function setAsidePage(db: Db): Promise<{ aside: AsideLine[]; total: number; errands: FailedErrand[] }> {
  const [aside, total, errands] = await Promise.all([
    db.query<AsideLine>({
      name: 'aside-lines',
      text: `
        select a.person_id as person, ${NAME}, a.error, a.attempts, a.since, a.next_try as "nextTry", ${JAMMING} as jamming
        from (select * from set_aside order by since limit ${MOST}) a join people p on p.id = a.person_id order by a.since`
    }),
    db.query<{ n: number }>({ name: 'aside-total', text: 'select count(*) as n from set_aside' }),
    db.query<FailedErrand>({
      name: 'failed-errands',
      text: `
        select e.person_id as person, e.id, ${NAME}, e.kind, j.name as journey, j.key as "journeyKey", e.step, e.at, e.error,
          e.attempts, e.state, e.answer
        from (select * from errands where error is not null and state in ('queued', 'failed') order by at desc limit ${MOST}) e
        join people p on p.id = e.person_id
        join journeys j on j.id = e.journey_id
        order by e.at desc`
    })
  ]);
  return { aside: aside.rows, total: total.rows[0]?.n ?? 0, errands: errands.rows };
}

/** Tries a failed errand once more; false where it is not one. */
export async function tryErrandAgain(db: Db, person: number, id: number): Promise<boolean> {
  const { rowCount } = await db.query(
    `update errands set state = 'queued', attempts = 0, not_before = null, ended_at = null
     where person_id = $1 and id = $2 and state in ('queued', 'failed')`,
    [person, id]
  );
  if (rowCount) await notify(db, 'outbox');
  return rowCount === 1;
}
