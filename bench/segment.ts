/**
 * segment: how long the database takes to count who meets a condition, as the core compiles it, against the same question
 * written by hand, over a million people.
 */
import type { Condition } from '../core/condition/schema.ts';
import { conditionSql, Parameters } from '../core/condition/sql.ts';
import { compileSettings } from '../core/settings/workspace.ts';
import { knownZones } from '../server/crowds/may-have-changed.ts';
import { migrate } from '../server/db/migrate.ts';
import { openPool, ts, type Pool } from '../server/db/pool.ts';
import { withCluster } from './database.ts';
import { median, type Benchmark, type Row } from './row.ts';

const PEOPLE = 1_000_000;
const ROUNDS = 5;
const NOW = Date.parse('2027-03-01T09:00:00Z');

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

/** People with facts of every kind, as conditions ask for them. */
export async function fill(pool: Pool, people = PEOPLE): Promise<void> {
  const at = ts(NOW);
  await pool.query(
    `insert into people (email, zone, fields, created_at, updated_at)
     select 'p' || n || '@people.example', case when n % 3 = 0 then 'Europe/Dublin' end,
       jsonb_build_object('town', (array['Quillmoor', 'Thornmere', 'Ennis', 'Aldbrook'])[1 + n % 4], 'visit', to_char(date '2027-03-01' - (n::bigint * 7919 % 400)::integer, 'YYYY-MM-DD')), $1, $1
     from generate_series(1, ${people}) n`,
    [at]
  );
  await pool.query(`insert into person_tags select id, 'member', $1 from people where id % 5 = 0`, [at]);
  await pool.query(`insert into person_tags select id, 'staff', $1 from people where id % 97 = 0`, [at]);
  await pool.query(`insert into consents select id, 'email', 'given', $1, 'bench' from people where id % 7 <> 0`, [at]);
  await pool.query(`insert into scores select id, 'interest', id * 31 % 100, $1 from people where id % 2 = 0`, [at]);
  await pool.query(
    `insert into happenings (person_id, name, at, source, data, handled_at)
     select id, 'page_seen', $1::timestamptz - (id % 90 || ' days')::interval, 'bench', '{"url": "/seats"}', $1 from people where id % 3 = 0`,
    [at]
  );
  await pool.query('vacuum analyze');
}

export const segment: Benchmark = (say) =>
  withCluster(async (cluster) => {
    const pool = openPool(cluster.url);
    await migrate(pool);
    await fill(pool);
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
    await pool.end();
    return rows;
  });
