/**
 * partitions: what happenings cost when they stand in a table a month instead of in one. Two million rows of four years in
 * both, with the indexes the engine reads by; then what the engine and a person's page do all day: the reactions of 500
 * walks, one person's latest 500, and 2,000 rows written.
 */
import { openPool, type Pool } from '../server/db/pool.ts';
import { withCluster } from './database.ts';
import { median, type Benchmark } from './row.ts';

const ROWS = 2_000_000;
const EACH = 20;
const MONTHS = 48;
const ROUNDS = 9;
const PEOPLE = ROWS / EACH;

const COLUMNS = `person_id bigint not null, id bigint generated always as identity, name text not null, at timestamptz not null,
  source text not null, walk_id integer, step text, record bigint, data jsonb not null`;
const indexes = (table: string): string => `
  create index on ${table} (person_id, id);
  create index on ${table} (person_id, walk_id, record) where step is not null;
  create index on ${table} (at);`;

async function make(pool: Pool, table: string, partitioned: boolean): Promise<void> {
  await pool.query(`create table ${table} (${COLUMNS}) ${partitioned ? 'partition by range (at)' : ''}`);
  for (let m = 0; partitioned && m < MONTHS; m++) {
    const month = (n: number): string => new Date(Date.UTC(2023, 2 + n, 1)).toISOString();
    await pool.query(
      `create table ${table}_${m} partition of ${table} for values from ('${month(m)}') to ('${month(m + 1)}')`
    );
  }
  await pool.query(indexes(table));
  // Someone's happenings lie months apart, as they do where people stay for years.
  await pool.query(`
    insert into ${table} (person_id, name, at, source, walk_id, step, record, data)
    select p, (array['opened', 'sent', 'clicked', 'entered'])[1 + n % 4],
      timestamptz '2023-03-01' + n * interval '70 days' + p % 1400 * interval '1 hour', 'engine', 1 + n / 10, 'a', n, '{}'
    from generate_series(0, ${EACH - 1}) n, generate_series(1, ${PEOPLE}) p`);
  await pool.query(`vacuum analyze ${table}`);
}

type Work = (pool: Pool, table: string, round: number) => Promise<unknown>;
const people = (round: number): number[] =>
  Array.from({ length: 500 }, (_, i) => 1 + ((i * 197 + round * 31) % PEOPLE));

const WORK: [string, Work][] = [
  [
    'reactions of 500 walks',
    (pool, table, round) =>
      pool.query(
        `select h.* from unnest($1::bigint[]) as w (person_id)
         cross join lateral (select * from ${table} h where h.person_id = w.person_id and h.walk_id = 1 and h.step is not null
           and h.name = any(array['opened', 'clicked']) offset 0) h`,
        [people(round)]
      )
  ],
  [
    'one person’s page',
    (pool, table, round) =>
      pool.query(`select * from ${table} where person_id = $1 order by at desc limit 500`, [people(round)[0]])
  ],
  [
    '2,000 rows written',
    (pool, table, round) =>
      pool.query(
        `insert into ${table} (person_id, name, at, source, walk_id, step, record, data)
         select p, 'opened', timestamptz '2027-02-20', 'engine', 1, 'a', 99, '{}' from unnest($1::bigint[]) p, generate_series(1, 4)`,
        [people(round)]
      )
  ]
];

export const partitions: Benchmark = (say) =>
  withCluster(async (cluster) => {
    const pool = openPool(await cluster.createDatabase('partitions'), 10, 0);
    await make(pool, 'whole', false);
    say('one table made');
    await make(pool, 'parted', true);
    say('a table a month made');
    const rows = [];
    for (const [name, work] of WORK) {
      const times: Record<'whole' | 'parted', number[]> = { whole: [], parted: [] };
      for (let round = 0; round <= ROUNDS; round++) {
        for (const table of ['whole', 'parted'] as const) {
          const began = performance.now();
          await work(pool, table, round);
          if (round) times[table].push(performance.now() - began);
        }
      }
      const [ours, reference] = [median(times.parted), median(times.whole)];
      rows.push({ name, ours, reference, ratio: ours / reference, target: '<= 1.2', unit: 'ms' });
    }
    await pool.end();
    return rows;
  });
