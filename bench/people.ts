/** A workspace with so many people, for benches that ask things of them. */
import { migrate } from '../server/db/migrate.ts';
import { openPool, type Pool } from '../server/db/pool.ts';
import { withCluster } from './database.ts';
import { fill } from './segment.ts';

export const withPeople = <T>(people: number, work: (pool: Pool) => Promise<T>): Promise<T> =>
  withCluster(async (cluster) => {
    const pool = openPool(cluster.url);
    try {
      await migrate(pool);
      await pool.query(
        `insert into workspace (name, zone, clock, practice_now, secret) values ('Bench', 'UTC', 'practice', '2027-03-01T09:00:00Z', decode('00', 'hex'))`
      );
      await fill(pool, people);
      return await work(pool);
    } finally {
      await pool.end();
    }
  });
