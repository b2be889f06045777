/** Journeys that were to go live at an instant and could not. */
import type { Db } from '../../db/pool.ts';
import type { Need } from './need.ts';

export async function liveAtNeeds(db: Db): Promise<Need[]> {
  const { rows } = await db.query<{ key: string; name: string; problem: string }>(
    `select j.key, j.name, l.problem from live_at l join journeys j on j.id = l.journey_id
     where l.problem is not null order by j.name limit 20`
  );
  return rows.map((r) => ({
    kind: 'live-at',
    title: `${r.name} did not go live`,
    detail: r.problem,
    href: `/journeys/${r.key}`,
    act: 'Show'
  }));
}
