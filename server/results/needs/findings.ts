/** What the check finds in journeys that are live, but for what was accepted. */
import { findingsOf } from '../../../core/check/index.ts';
import type { Journey } from '../../../core/journey/schema.ts';
import type { Db } from '../../db/pool.ts';
import { acceptedEverywhere } from '../../journeys/accepted.ts';
import type { Need } from './need.ts';

export async function findingNeeds(db: Db): Promise<Need[]> {
  const { rows } = await db.query<{ name: string; key: string; document: Journey }>(
    `select j.name, j.key, v.document from journeys j join versions v on v.journey_id = j.id and v.number = j.live_version
     where j.state = 'live' order by j.name`
  );
  const isAccepted = await acceptedEverywhere(db);
  return rows.flatMap((r) =>
    findingsOf(r.document)
      .filter((f) => !isAccepted(r.key, f))
      .map((f): Need => ({
        kind: 'finding',
        title: r.name,
        detail: f.text,
        href: `/journeys/${r.key}${f.step ? `?step=${f.step}` : ''}`,
        act: 'Open the finding'
      }))
  );
}
