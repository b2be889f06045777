/**
 * How many people would stand where, if a ladder or a score model were changed: worked out from what is on record, by the code
 * that works it out once it is saved. Nothing of anyone changes.
 */
import { heardBy, rebuild, type Rebuilt } from '../../core/engagement/rebuild.ts';
import { rungOf, slip } from '../../core/engagement/ladders.ts';
import { scoreNow } from '../../core/engagement/scores.ts';
import { restoreState, type KeptState } from '../../core/person/kept.ts';
import type { PersonState } from '../../core/person/state.ts';
import type { FieldValue } from '../../core/person/values.ts';
import { compileSettings, type Workspace } from '../../core/settings/workspace.ts';
import type { Settings } from '../../core/settings/schema.ts';
import { readClock } from '../workspace/clock.ts';
import type { Pool } from '../db/pool.ts';
import { MOST_PAST, type Most } from '../engine/bounds.ts';
import { pastInParts } from '../engine/past.ts';
import { plansOf } from '../engine/plans.ts';

/** People by where they stand: names of rungs (empty: on none), or points as text. */
export type Standing = Record<string, number>;

export interface Outlook {
  /** People looked at so far. Until all are, they are a sample of everybody. */
  looked: number;
  total: number;
  today: Standing;
  then: Standing;
  /** Who would stand elsewhere. */
  moved: number;
}

export interface Asked {
  kind: 'ladder' | 'score';
  name: string;
  /** Settings as they are, and as they would be. */
  before: Settings | null;
  after: Settings;
}

/** People read at once. */
const PORTION = 500;
/** Of more people than this, first a sample of all is read: what it says is about right after a sixteenth of the time. */
const MANY = 20_000;
const SAMPLES = 16;

interface Row {
  id: number;
  fields: Record<string, FieldValue>;
  state: KeptState | null;
  scores: Record<string, number>;
}

/** Looks at everybody, in portions; `tell` hears after each. Ends early where the signal says so. */
export async function outlook(
  pool: Pool,
  { kind, name, before, after }: Asked,
  tell: (so: Outlook) => void,
  signal?: AbortSignal,
  most: Most = MOST_PAST
): Promise<Outlook> {
  const { now, zone } = await readClock(pool);
  const [was, would] = [compileSettings(before, zone), compileSettings(after, zone)];
  const which: Rebuilt = {
    scores: new Set(kind === 'score' ? [name] : []),
    ladders: new Set(kind === 'ladder' ? [name] : [])
  };
  const names = heardBy(would, which);
  const { rows: all } = await pool.query<{ n: number }>('select count(*) as n from people');
  const so: Outlook = { looked: 0, total: all[0]?.n ?? 0, today: {}, then: {}, moved: 0 };
  const samples = so.total > MANY ? SAMPLES : 1;
  for (let sample = 0; sample < samples; sample++) {
    let reached = 0;
    for (;;) {
      if (signal?.aborted) return so;
      const { rows } = await pool.query<Row>({
        name: `people-of-outlook`,
        text: `select p.id, jsonb_strip_nulls(jsonb_build_object('zone', p.zone)) || p.fields as fields, g.state,
            (select coalesce(jsonb_object_agg(score, points), '{}') from scores s where s.person_id = p.id and s.score = $5) as scores
          from people p left join agenda g on g.person_id = p.id
          where p.id > $1 and p.id % $2 = $3 order by p.id limit $4`,
        values: [reached, samples, sample, PORTION, kind === 'score' ? name : '']
      });
      if (!rows.length) break;
      reached = rows.at(-1)?.id ?? reached;
      const states = new Map(rows.map((r) => [r.id, stateOf(r)]));
      for await (const pasts of pastInParts(pool, [...states.keys()], names, plansOf(pool), most))
        for (const [id, past] of pasts) {
          const person = states.get(id);
          if (!person) throw new Error(`nobody was asked about by the number ${id}`);
          const standsAt = standing(kind, name, was, person, now);
          rebuild(would, person, past, which, now);
          const wouldStand = standing(kind, name, would, person, now);
          so.today[standsAt] = (so.today[standsAt] ?? 0) + 1;
          so.then[wouldStand] = (so.then[wouldStand] ?? 0) + 1;
          if (standsAt !== wouldStand) so.moved++;
        }
      so.looked += rows.length;
      tell(so);
    }
  }
  return so;
}

function stateOf({ id, fields, state, scores }: Row): PersonState {
  const person = restoreState(String(id), state ?? {});
  for (const [key, value] of Object.entries(fields)) person.fields.set(key, value);
  for (const [score, points] of Object.entries(scores)) person.scores.set(score, points);
  return person;
}

function standing(kind: Asked['kind'], name: string, workspace: Workspace, person: PersonState, now: number): string {
  if (kind === 'score') return shortened(scoreNow(workspace, person, name, now));
  slip({ ...workspace, ladders: workspace.ladders.filter((l) => l.name === name) }, person, now);
  return workspace.ladders.some((l) => l.name === name) ? (rungOf(person, name) ?? '') : '';
}

/** Points so that a hundred values at most are told of each power of ten: where somebody stands, not how they are spelt. */
function shortened(points: number): string {
  if (Math.abs(points) < 100) return String(Math.floor(points));
  const step = 10 ** Math.max(0, Math.floor(Math.log10(Math.abs(points))) - 1);
  return String(Math.floor(points / step) * step);
}
