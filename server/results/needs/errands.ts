/** Calls and notices that did not arrive within a week. */
import { plural } from '../../../core/tell/words.ts';
import { DAY } from '../../../core/time/duration.ts';
import { ts, type Db } from '../../db/pool.ts';
import type { Need } from './need.ts';

export async function errandNeeds(db: Db, now: number): Promise<Need[]> {
  const week = ts(now - 7 * DAY);
  const { rows } = await db.query<{ n: number; error: string; journey: string }>({
    name: 'errands-failed',
    text: `
        select count(*) as n, max(e.error) as error, min(j.name) as journey
        from errands e join journeys j on j.id = e.journey_id
        where e.error is not null and e.state in ('queued', 'failed') and e.at > $1 having count(*) > 0`,
    values: [week]
  });
  return rows.map((r) => ({
    kind: 'failure',
    title: `${plural(r.n, 'call or notice', 'calls and notices')} did not arrive`,
    detail: `${r.journey} · ${r.error}`,
    href: '/set-aside',
    act: 'Show'
  }));
}
