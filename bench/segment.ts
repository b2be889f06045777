/**
 * segment: how long the database takes to count who meets a condition, as the core compiles it, against the same question
 * written by hand, over a million people.
 */
import type { Condition } from '../core/condition/schema.ts';
import { conditionSql, Parameters } from '../core/condition/sql.ts';
import { compileSettings } from '../core/settings/workspace.ts';
import { knownZones } from '../server/selection/may-have-changed.ts';
import { ts } from '../server/db/pool.ts';
import { NOW, withPeople } from './people.ts';
import { median, type Benchmark, type Row } from './row.ts';

const PEOPLE = 1_000_000;
const ROUNDS = 5;

/** Each question as a condition, and as somebody would write it who knows what the values are. */
const QUESTIONS: [name: string, condition: Condition, byHand: string][] = [
  [
    'a tag, a town and a consent',
    { all: [{ tag: 'member' }, { field: 'town', is: 'Quillmoor' }, { consent: 'email' }] },
    `exists (select from person_tags t where t.person_id = p.id and t.tag = 'member')
     and lower(p.fields ->> 'town') = 'quillmoor'
     and exists (select from consents c where c.person_id = p.id and c.channel = 'email' and c.state = 'given')`
  ],
  [
    'a date in the last month, points, not a tag',
    { all: [{ field: 'visit', last: 'P1M' }, { score: 'interest', gte: 50 }, { not: { tag: 'staff' } }] },
    `(p.fields ->> 'visit')::date <= ('${ts(NOW)}'::timestamptz at time zone coalesce(p.zone, 'UTC'))::date
     and ('${ts(NOW)}'::timestamptz at time zone coalesce(p.zone, 'UTC'))::date <= (p.fields ->> 'visit')::date + interval '1 month'
     and exists (select from scores s where s.person_id = p.id and s.score = 'interest' and s.points >= 50)
     and not exists (select from person_tags t where t.person_id = p.id and t.tag = 'staff')`
  ],
  [
    'did something in the last month',
    { all: [{ did: 'page_seen', last: 'P1M' }, { any: [{ tag: 'member' }, { field: 'town', is: 'Thornmere' }] }] },
    `exists (select from happenings h where h.person_id = p.id and h.name = 'page_seen' and h.at > '${ts(NOW)}'::timestamptz - interval '1 month')
     and (exists (select from person_tags t where t.person_id = p.id and t.tag = 'member') or lower(p.fields ->> 'town') = 'thornmere')`
  ]
];

export const segment: Benchmark = (say) =>
  withPeople(PEOPLE, async (pool) => {
    say(`${PEOPLE.toLocaleString('en')} people are there`);
    const workspace = compileSettings(null);
    const zones = await knownZones(pool);
    const timed = async (text: string, values: unknown[] = []): Promise<[ms: number, found: number]> => {
      const begun = performance.now();
      const { rows } = await pool.query<{ n: number }>(`select count(*) as n from people p where ${text}`, values);
      return [performance.now() - begun, rows[0]?.n ?? -1];
    };
    const rows: Row[] = [];
    for (const [name, condition, byHand] of QUESTIONS) {
      const parameters = new Parameters();
      const { sql } = conditionSql(condition, 'over', { at: NOW, workspace, zones }, parameters);
      const runs: [number, number][] = [];
      for (let round = 0; round <= ROUNDS; round++) {
        const [ours, found] = await timed(sql, parameters.values);
        const [reference, expected] = await timed(byHand);
        if (found !== expected) throw new Error(`${name}: found ${found}, by hand ${expected}`);
        // The first of each warms what both read.
        if (round) runs.push([ours, reference]);
        if (round === 1) say(`${name}: ${found} people`);
      }
      rows.push({
        name,
        ours: median(runs.map(([a]) => a)),
        reference: median(runs.map(([, b]) => b)),
        ratio: median(runs.map(([a, b]) => a / b)),
        target: '<= 1.2',
        unit: 'ms'
      });
    }
    return rows;
  });
