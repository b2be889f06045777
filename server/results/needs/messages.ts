/** Messages that wait for another try, and those that did not go out or came back, within a week. */
import { plural } from '../../../core/tell/words.ts';
import { DAY } from '../../../core/time/duration.ts';
import { nameSql } from '../../db/person-name.ts';
import { ts, type Db } from '../../db/pool.ts';
import type { Need } from './need.ts';

export async function retryNeeds(db: Db, now: number): Promise<Need[]> {
  const week = ts(now - 7 * DAY);
  const { rows } = await db.query<{ journey: string; key: string; trouble: string; error: string; n: number }>(
    `select j.name as journey, j.key, m.trouble, max(m.error) as error, count(*) as n
       from messages m join journeys j on j.id = m.journey_id
       where m.trouble is not null and m.state = 'queued' and m.created_at > $1
         and not exists (select from channels c where c.channel = m.channel and c.stopped_at is not null)
       group by 1, 2, 3 order by 5 desc`,
    [week]
  );
  return rows.map((r) => ({
    kind: 'retry',
    title: `${plural(r.n, 'message waits', 'messages wait')} for another try`,
    detail: `${r.journey} · ${r.error}`,
    href: `/journeys/${r.key}?view=watch`,
    act: 'Show',
    action: { name: 'retry', value: `${r.key} ${r.trouble}`, label: 'Try now' }
  }));
}

export async function failureNeeds(db: Db, now: number): Promise<Need[]> {
  const week = ts(now - 7 * DAY);
  const { rows } = await db.query<{
    state: string;
    journey: string;
    key: string;
    trouble: string;
    error: string | null;
    n: number;
    first: number;
    name: string;
  }>(
    `select m.state, m.trouble, j.name as journey, j.key, max(m.error) as error, count(*) as n, min(m.person_id) as first,
         min(${nameSql('p', 'm.address')}) as name
       from messages m join journeys j on j.id = m.journey_id join people p on p.id = m.person_id
       where m.trouble is not null and m.state in ('failed', 'bounced') and m.created_at > $1
       group by 1, 2, 3, 4 order by 6 desc`,
    [week]
  );
  return rows.map((r): Need => {
    const what =
      r.trouble === 'withheld'
        ? `${r.n === 1 ? 'was' : 'were'} held back`
        : r.state === 'bounced'
          ? 'bounced'
          : 'could not be sent';
    return {
      kind: 'failure',
      title: `${plural(r.n, 'message', 'messages')} ${what}`,
      detail: `${r.journey} · ${r.name}${r.n > 1 ? ` and ${r.n - 1} more` : ''} · ${r.error ?? ''}`,
      href: r.n === 1 ? `/people/${r.first}` : `/journeys/${r.key}?view=watch`,
      act: 'Show',
      // A mailbox that is not there is not there a second time either; whoever withdrew has not come back.
      ...(r.trouble === 'mailbox' || r.trouble === 'withheld'
        ? {}
        : { action: { name: 'again' as const, value: `${r.key} ${r.trouble}`, label: 'Send again' } })
    };
  });
}
