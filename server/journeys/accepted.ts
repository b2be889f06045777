/** Findings that somebody has looked at and accepted, with the reason: kept for the review and for later versions. */
import type { Finding } from '../../core/check/index.ts';
import { findingId } from '../../core/check/finding.ts';
import { now } from '../workspace/clock.ts';
import { ts, type Db } from '../db/pool.ts';

/** So many may be accepted in one journey: many more than checks find in any. */
const MOST = 1000;

export interface Accepted {
  reason: string;
  by: string;
  at: number;
}

/** What is accepted in a journey, by the id of the finding. */
export async function acceptedIn(db: Db, journeyId: number): Promise<Record<string, Accepted>> {
  const { rows } = await db.query<Accepted & { finding: string }>(
    `select finding, reason, accepted_by as by, accepted_at as at from accepted_findings where journey_id = $1 order by finding limit ${MOST}`,
    [journeyId]
  );
  return Object.fromEntries(rows.map(({ finding, ...accepted }) => [finding, accepted]));
}

/** Accepts a remark with a reason; with `null` it counts again. What blocks going live cannot be accepted: false. */
export async function acceptFinding(
  db: Db,
  key: string,
  finding: Pick<Finding, 'severity' | 'check' | 'step' | 'text'>,
  reason: string | null,
  by: string
): Promise<boolean> {
  if (finding.severity === 'blocker') return false;
  const id = findingId(finding);
  if (reason === null) {
    await db.query(
      `delete from accepted_findings where finding = $2 and journey_id = (select id from journeys where key = $1)`,
      [key, id]
    );
    return true;
  }
  const { rowCount } = await db.query(
    `insert into accepted_findings (journey_id, finding, said, reason, accepted_by, accepted_at)
     select id, $2, $3, $4, $5, $6 from journeys j
     where key = $1 and (select count(*) from accepted_findings a where a.journey_id = j.id) < ${MOST}
     on conflict (journey_id, finding) do update set reason = excluded.reason, accepted_by = excluded.accepted_by, accepted_at = excluded.accepted_at`,
    [key, id, finding.text, reason, by, ts(await now(db))]
  );
  return rowCount === 1;
}

/** The findings that are accepted, of all journeys, by the journey's key: for pages that show many. */
export async function acceptedEverywhere(db: Db): Promise<(key: string, finding: Finding) => boolean> {
  const { rows } = await db.query<{ key: string; finding: string }>({
    name: 'accepted-everywhere',
    text: `select j.key, a.finding from accepted_findings a join journeys j on j.id = a.journey_id limit 20000`
  });
  const all = new Set(rows.map((r) => `${r.key}\n${r.finding}`));
  return (key, finding) => finding.severity === 'remark' && all.has(`${key}\n${findingId(finding)}`);
}
