/** The journeys, side by side. */
import { acceptedEverywhere } from '../journeys/accepted.ts';
import { findingsOf, type Finding } from '../../core/check/index.ts';
import { goalInterval, type Interval } from '../../core/statistics/interval.ts';
import { dateText, wallDay } from '../../core/time/civil.ts';
import { readClock } from '../workspace/clock.ts';
import type { Db, Pool } from '../db/pool.ts';
import { ALL_DAYS } from '../engine/count.ts';
import type { Journey } from '../../core/journey/schema.ts';
import type { JourneyState } from '../journeys/journeys.ts';
import { messagesAhead } from './ahead.ts';

export interface JourneyLine {
  key: string;
  name: string;
  folder: string;
  state: JourneyState;
  version: number | null;
  since: number | null;
  savedAt: number;
  walking: number;
  sends24: number;
  entered90: number;
  /** `null` where the journey has no goal, or nobody entered. */
  goal: { rate: number; interval: Interval } | null;
  hasGoal: boolean;
  labels: string[];
  /** Entries of the last twelve weeks, oldest first. */
  weeks: number[];
  last: { name: string; at: number } | null;
  blockers: number;
  remarks: number;
}

export const WEEKS = 12;
const DAY = 86_400_000;

export async function journeyLines(pool: Pool): Promise<JourneyLine[]> {
  const { now: at, zone } = await readClock(pool);
  const [journeys, ahead, isAccepted] = await Promise.all([
    listJourneys(pool, at, zone),
    messagesAhead(pool),
    acceptedEverywhere(pool)
  ]);
  return journeys.map((j) => {
    const findings = keptFindings(j).filter((f) => !isAccepted(j.key, f));
    return {
      key: j.key,
      name: j.name,
      folder: j.folder,
      state: j.state,
      version: j.live_version,
      since: j.since,
      savedAt: j.saved_at,
      walking: j.walking,
      sends24: ahead.messages.filter((m) => m.journey === j.key).length,
      entered90: j.entered,
      goal:
        j.document.goal && j.entered > 0
          ? { rate: j.reached / j.entered, interval: goalInterval(j.reached, j.entered) }
          : null,
      labels: j.document.labels ?? [],
      hasGoal: j.document.goal !== undefined,
      weeks: Array.from({ length: WEEKS }, (_, i) => j.weeks[String(i)] ?? 0),
      last: j.last_name && j.last_at !== null ? { name: j.last_name, at: j.last_at } : null,
      blockers: findings.filter((f) => f.severity === 'blocker').length,
      remarks: findings.filter((f) => f.severity === 'remark').length
    };
  });
}

/** Findings by the saved draft or version they are of, which never changes: they are looked for once. */
const found = new Map<string, Finding[]>();
const KEPT = 2000;

function keptFindings(j: Row): Finding[] {
  const key = `${j.id}/${j.live_version ?? 'draft'}/${j.live_version === null ? j.revision : ''}`;
  let known = found.get(key);
  if (!known) {
    if (found.size >= KEPT) found.clear();
    found.set(key, (known = findingsOf(j.document)));
  }
  return known;
}

interface Row {
  id: number;
  revision: number;
  key: string;
  name: string;
  folder: string;
  state: JourneyState;
  live_version: number | null;
  since: number | null;
  saved_at: number;
  document: Journey;
  walking: number;
  entered: number;
  reached: number;
  weeks: Record<string, number>;
  last_name: string | null;
  last_at: number | null;
}

async function listJourneys(db: Db, at: number, zone: string): Promise<Row[]> {
  const { rows } = await db.query<Row>({
    name: 'journeys-table',
    text: `
      select j.id, j.draft_revision as revision, j.key, j.name, j.folder, j.state, j.live_version, j.draft_saved_at as saved_at, v.live_from as since,
        coalesce(v.document, j.draft) as document,
        coalesce(f.walking, 0) as walking, coalesce(f.entered, 0) as entered, coalesce(f.reached, 0) as reached,
        coalesce(w.weeks, '{}') as weeks, l.name as last_name, l.at as last_at
      from journeys j
      left join versions v on v.journey_id = j.id and v.number = j.live_version
      left join lateral (
        select coalesce(sum(n) filter (where day = '${ALL_DAYS}' and what = 'walking'), 0) as walking,
          coalesce(sum(n) filter (where day > $2::date and what = 'entered'), 0) as entered,
          coalesce(sum(n) filter (where day > $2::date and what = 'goal'), 0) as reached
        from counters
        where journey_id = j.id and (day = '${ALL_DAYS}' or day > $2::date) and step = '' and what in ('walking', 'entered', 'goal')
      ) f on true
      left join lateral (
        select jsonb_object_agg(week, n) as weeks
        from (
          select ${WEEKS - 1} - ($1::date - day) / 7 as week, sum(n) as n
          from counters
          where journey_id = j.id and day > $1::date - ${WEEKS * 7} and day <= $1::date and step = '' and what = 'entered'
          group by 1
        ) as q
      ) w on true
      left join lateral (
        select name, at from happenings
        where journey_id = j.id and name <> 'delivered' and handled_at is not null
        order by id desc limit 1
      ) l on true
      order by array_position(array['live', 'closing', 'paused', 'draft', 'closed', 'archived'], j.state), j.name`,
    values: [dateText(wallDay(zone, at)), dateText(wallDay(zone, at - 90 * DAY))]
  });
  return rows;
}
