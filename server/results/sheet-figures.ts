/** Figures for the Watch view of a sheet: how many took each lane, got each message, stand on each step. */
import { nameSql } from '../db/person-name.ts';
import type { Db } from '../db/pool.ts';
import { ALL_DAYS } from '../engine/count.ts';
import type { PersonLine } from '../people/people.ts';
import { shownFacts, type Shown } from '../people/shown.ts';
import type { Standing } from '../../core/walk/walk.ts';
import { bare } from '../../core/bare.ts';
import type { StepFigures } from '../../core/steps/base.ts';
import { DONE_LINES } from '../../core/steps/index.ts';

/** What is counted of a step, and what the panel of people says besides. */
export interface SheetStepFigures extends StepFigures {
  skipped: number;
  /** Not delivered for good. */
  failed: number;
  /** Of those who stand, held for hours or limits. */
  held: number;
}

export interface SheetFigures {
  entered: number;
  walking: number;
  finished: number;
  reachedGoal: number;
  left: { reason: string; people: number }[];
  steps: Record<string, SheetStepFigures>;
}

const none = (): SheetStepFigures => ({
  done: 0,
  skipped: 0,
  opened: 0,
  clicked: 0,
  replied: 0,
  failed: 0,
  retrying: 0,
  standing: 0,
  held: 0,
  lanes: bare()
});

const REACTIONS = new Set(['opened', 'clicked', 'replied']);

/** Figures of one version of a journey; of all versions where `version` is null. Read from what was counted as it happened. */
export async function sheetFigures(db: Db, journeyId: number, version: number | null): Promise<SheetFigures> {
  const values = [journeyId, version];
  const [counted, messages] = await Promise.all([
    db.query<{ step: string; what: string; lane: string; n: number }>({
      name: 'figures-counted',
      text: `
        select step, what, lane, sum(n) as n
        from counters
        where journey_id = $1 and day = '${ALL_DAYS}' and ($2::integer is null or version = $2)
        group by 1, 2, 3
        having sum(n) <> 0`,
      values
    }),
    db.query<{ step: string; failed: number; retrying: number }>({
      name: 'figures-messages',
      text: `
        select step, count(*) filter (where state in ('failed', 'bounced')) as failed,
          count(*) filter (where state = 'queued') as retrying
        from messages
        where journey_id = $1 and trouble is not null and state <> 'sent' and ($2::integer is null or version = $2)
        group by 1`,
      values
    })
  ]);
  const steps = bare<SheetStepFigures>();
  const of = (step: string): SheetStepFigures => (steps[step] ??= none());
  const figures: SheetFigures = { entered: 0, walking: 0, finished: 0, reachedGoal: 0, left: [], steps };
  for (const { step, what, lane, n } of counted.rows) {
    if (what === 'entered') figures.entered += n;
    else if (what === 'walking') figures.walking += n;
    else if (what === 'goal') figures.reachedGoal += n;
    else if (what === 'left') {
      const [as = '', ...reason] = lane.split(' ');
      if (as === 'finished') figures.finished += n;
      else if (as !== 'goal') figures.left.push({ reason: reason.join(' ') || as, people: n });
    } else if (what === 'took') of(step).lanes[lane] = n;
    else if (what === 'skipped') of(step).skipped += n;
    else if (what === 'standing' || what === 'held') of(step)[what] += n;
    else if (DONE_LINES.has(what)) of(step).done += n;
    else if (REACTIONS.has(what)) of(step)[what as 'opened' | 'clicked' | 'replied'] += n;
  }
  for (const r of messages.rows) Object.assign(of(r.step), { failed: r.failed, retrying: r.retrying });
  return figures;
}

export interface StandingPerson {
  id: number;
  name: string;
  address: string;
  /** The field and the score that tables of people show. */
  field: PersonLine['field'];
  since: number;
  due: number | null;
  standing: Standing['kind'] | null;
  lastDid: string | null;
  lastDidAt: number | null;
  score: number | null;
}

export interface PeopleThere {
  people: StandingPerson[];
  total: number;
  shown: Shown;
}

export type PeopleQuery = { on: 'step'; step: string } | { on: 'lane'; step: string; lane: string } | { on: 'all' };

/** People who stand on a step now, or who took a lane, or all who are walking: newest first, at most `most`. */
export async function peopleOf(
  db: Db,
  journeyId: number,
  version: number | null,
  query: PeopleQuery,
  most = 100
): Promise<PeopleThere> {
  const shown = await shownFacts(db);
  const values: unknown[] = [journeyId, version, most, shown.field ?? '', shown.score ?? ''];
  let which = `w.state = 'walking'`;
  if (query.on === 'step') {
    values.push(query.step);
    which += ' and w.step = $6';
  } else if (query.on === 'lane') {
    values.push(query.step, query.lane);
    which = `exists (select from trail t where t.person_id = w.person_id and t.walk_id = w.id and t.journey_id = w.journey_id
      and t.step = $6 and t.what = 'took' and t.detail ->> 'lane' = $7)`;
  }
  const { rows } = await db.query<StandingPerson>(
    `with found as (
       select w.person_id, w.id, w.due_at, w.standing, w.entered_at
       from walks w
       where w.journey_id = $1 and ($2::integer is null or w.version = $2) and ${which}
       order by w.entered_at desc, w.person_id
       limit $3
     )
     select p.id, ${nameSql()} as name,
       coalesce(p.email, p.phone) as address, p.fields -> $4 as field, f.due_at as due, f.standing,
       (select max(at) from trail t where t.person_id = p.id and t.walk_id = f.id) as since,
       (select points from scores s where s.person_id = p.id and s.score = $5) as score,
       a.did as "lastDid", a.did_at as "lastDidAt"
     from found f
     join people p on p.id = f.person_id
     left join agenda a on a.person_id = p.id
     order by f.entered_at desc, p.id`,
    values
  );
  return {
    people: rows,
    total: rows.length < most ? rows.length : await totalOf(db, journeyId, version, query),
    shown
  };
}

/** How many that are, as they are counted. */
async function totalOf(db: Db, journeyId: number, version: number | null, query: PeopleQuery): Promise<number> {
  const [step, what, lane] =
    query.on === 'all'
      ? ['', 'walking', '']
      : query.on === 'lane'
        ? [query.step, 'took', query.lane]
        : [query.step, 'standing', ''];
  const { rows } = await db.query<{ n: number }>({
    name: 'people-there',
    text: `select coalesce(sum(n), 0) as n from counters
      where journey_id = $1 and day = '${ALL_DAYS}' and ($2::integer is null or version = $2) and step = $3 and what = $4 and lane = $5`,
    values: [journeyId, version, step, what, lane]
  });
  return rows[0]?.n ?? 0;
}
