/** A person's points one by one: what gave or took them, and what is left; and where they stand on ladders, and until when. */
import { heardBy } from '../../core/engagement/rebuild.ts';
import { nextRung } from '../../core/engagement/ladders.ts';
import { changeScore, scoreHappening, scoreNow } from '../../core/engagement/scores.ts';
import { restoreState, type KeptState } from '../../core/person/kept.ts';
import type { FieldValue } from '../../core/person/values.ts';
import { now } from '../workspace/clock.ts';
import type { Db } from '../db/pool.ts';
import { loadPast } from '../engine/past.ts';
import { plansOf } from '../engine/plans.ts';

export interface PointsLine {
  /** UTC ms. */
  at: number;
  /** What happened; `decay`: nothing did, for a while; `step`: a step of a journey. */
  what: string;
  /** By how much, and to what. */
  by: number;
  points: number;
}

export interface Engaged {
  scores: { name: string; points: number; lines: PointsLine[]; /** More than these. */ more: boolean }[];
  rungs: {
    ladder: string;
    rung: string;
    last: number;
    /** When it passes, UTC ms; `null`: not by itself. */ until: number | null;
  }[];
}

const MOST = 50;

/** `null` where there is no such person. */
export async function engagedOf(db: Db, id: number): Promise<Engaged | null> {
  const { rows } = await db.query<{
    fields: Record<string, FieldValue>;
    state: KeptState | null;
    scores: Record<string, number>;
  }>(
    `select jsonb_strip_nulls(jsonb_build_object('zone', p.zone)) as fields, g.state,
       (select coalesce(jsonb_object_agg(score, points), '{}') from scores s where s.person_id = p.id) as scores
     from people p left join agenda g on g.person_id = p.id where p.id = $1`,
    [id]
  );
  const [row] = rows;
  const plans = plansOf(db);
  if (!row) return null;
  const at = await now(db);
  const { workspace } = await plans.settings.read(db);
  const person = restoreState(String(id), row.state ?? {});
  const lived = restoreState(String(id), {});
  for (const [name, value] of Object.entries(row.fields)) {
    person.fields.set(name, value);
    lived.fields.set(name, value);
  }
  for (const [name, points] of Object.entries(row.scores)) person.scores.set(name, points);
  const names = heardBy(workspace, { scores: new Set(workspace.scores.keys()), ladders: new Set() });
  const past = (await loadPast(db, [id], names, plans)).get(id) ?? [];
  const lines = new Map<string, PointsLine[]>();
  const line = (score: string, one: PointsLine): void => {
    if (one.by !== 0) lines.set(score, [...(lines.get(score) ?? []), one]);
  };
  const decayed = (until: number): void => {
    for (const name of workspace.scores.keys()) {
      const before = lived.scores.get(name) ?? 0;
      const points = scoreNow(workspace, lived, name, until);
      line(name, { at: until, what: 'decay', by: points - before, points });
    }
  };
  for (const one of past) {
    decayed(one.at);
    if ('happening' in one)
      for (const { score, before, points } of scoreHappening(workspace, lived, one.happening, one.at))
        line(score, { at: one.at, what: one.happening.name, by: points - before, points });
    else {
      const { before, points } = changeScore(workspace, lived, one.score, one.change, one.at);
      line(one.score, { at: one.at, what: 'step', by: points - before, points });
    }
  }
  decayed(at);
  return {
    scores: [...new Set([...workspace.scores.keys(), ...person.scores.keys()])].map((name) => {
      const all = (lines.get(name) ?? []).reverse();
      return {
        name,
        points: scoreNow(workspace, person, name, at),
        lines: all.slice(0, MOST),
        more: all.length > MOST
      };
    }),
    rungs: workspace.ladders.flatMap((ladder) => {
      const standing = person.rungs?.get(ladder.name);
      if (!standing) return [];
      const until = nextRung({ ...workspace, ladders: [ladder] }, person);
      return [{ ladder: ladder.name, rung: standing.rung, last: standing.last, until }];
    })
  };
}
