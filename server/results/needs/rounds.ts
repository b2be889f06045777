/** People whom journeys that set each other off lead round and round. */
import { MINUTE } from '../../../core/time/duration.ts';
import { nameSql } from '../../db/person-name.ts';
import { ts, type Db } from '../../db/pool.ts';
import type { Need } from './need.ts';

/** So often within a minute somebody enters no journey by what they do. */
const ROUNDS = 20;

export async function roundNeeds(db: Db, now: number): Promise<Need[]> {
  const { rows } = await db.query<{
    key: string;
    journey: string;
    person: number;
    name: string;
    times: number;
    others: string[];
  }>({
    name: 'gone-round',
    text: `
        select j.key, j.name as journey, r.person_id as person, r.times,
          ${nameSql()} as name,
          array(select distinct o.name from walks w join journeys o on o.id = w.journey_id
            where w.person_id = r.person_id and w.entered_at > $1 and o.id <> j.id order by 1 limit 5) as others
        from journeys j
        cross join lateral (
          select person_id, count(*) as times from walks w
          where w.journey_id = j.id and w.entered_at > $1 group by person_id, date_trunc('minute', w.entered_at)
          having count(*) >= ${ROUNDS} order by 2 desc limit 1
        ) as r
        join people p on p.id = r.person_id
        where j.state = 'live' order by r.times desc limit 5`,
    values: [ts(now - 10 * MINUTE)]
  });
  return rows.map((r) => ({
    kind: 'round',
    title: `${r.name} has gone round ${r.journey} ${r.times} times within a minute`,
    detail: `${r.others.length ? `Together with ${r.others.join(', ')}. ` : ''}Close one of them to new people: that breaks the ring. Others pass.`,
    href: `/journeys/${r.key}?view=watch`,
    act: 'Show'
  }));
}
