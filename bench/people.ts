/** A workspace with so many people, for benches that ask things of them. */
import { migrate } from '../server/db/migrate.ts';
import { openPool, ts, type Pool } from '../server/db/pool.ts';
import { withCluster } from './database.ts';

export const NOW = Date.parse('2027-03-01T09:00:00Z');

export const withPeople = <T>(people: number, work: (pool: Pool) => Promise<T>): Promise<T> =>
  withCluster(async (cluster) => {
    const pool = openPool(cluster.url, 10, 0);
    try {
      await migrate(pool);
      await pool.query(
        `insert into workspace (name, zone, clock, practice_now, secret) values ('Bench', 'UTC', 'practice', $1, decode('00', 'hex'))`,
        [ts(NOW)]
      );
      await fill(pool, people);
      return await work(pool);
    } finally {
      await pool.end();
    }
  });

/** People with facts of every kind, as conditions ask for them. */
async function fill(pool: Pool, people: number): Promise<void> {
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
