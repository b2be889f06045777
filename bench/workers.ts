/**
 * workers: people entering and taking their first steps, worked off by two processes and by one, with the database on the same
 * machine. The database works beside them, so two processes have less than two cores to share.
 */
import { fork, type ChildProcess } from 'node:child_process';
import { migrate } from '../server/db/migrate.ts';
import { openPool, type Pool } from '../server/db/pool.ts';
import { withCluster } from './database.ts';
import { prepare } from './engine.ts';
import { median, type Benchmark } from './row.ts';

const ROUNDS = 3;

/** Lines a second of so many processes. */
async function drained(url: string, pool: Pool, processes: number): Promise<number> {
  await prepare(pool);
  // Nobody begins before everybody is there.
  await pool.query(`create table waiting as select * from happenings`);
  await pool.query('truncate happenings');
  let lines = 0;
  const children = await Promise.all(
    Array.from(
      { length: processes },
      () =>
        new Promise<ChildProcess>((resolve) => {
          const child = fork('bench/drain-child.ts', [], {
            execArgv: ['--import', 'tsx'],
            env: { PATH: process.env['PATH'], HOME: process.env['HOME'], DATABASE_URL: url }
          });
          child.on('message', (said: unknown) => {
            if (said === 'ready') resolve(child);
            else lines += Number(said);
          });
        })
    )
  );
  await pool.query('insert into happenings overriding system value select * from waiting');
  const begun = performance.now();
  for (;;) {
    const { rows } = await pool.query<{ left: boolean }>(
      'select exists (select from happenings where handled_at is null) as left'
    );
    if (!rows[0]?.left) break;
    await new Promise((resolve) => setTimeout(resolve, 20));
  }
  const rate = lines / ((performance.now() - begun) / 1000);
  for (const child of children) child.kill('SIGKILL');
  await pool.query('drop table waiting');
  return rate;
}

export const workers: Benchmark = (say) =>
  withCluster(async (cluster) => {
    const pool = openPool(cluster.url, 10, 0);
    await migrate(pool);
    const runs: [number, number][] = [];
    for (let round = 1; round <= ROUNDS; round++) {
      const one = await drained(cluster.url, pool, 1);
      const two = await drained(cluster.url, pool, 2);
      say(`round ${round}: two ${Math.round(two)} lines/s, one ${Math.round(one)}`);
      runs.push([two, one]);
    }
    await pool.end();
    return [
      {
        name: 'two workers against one, database beside them',
        ours: median(runs.map(([two]) => two)),
        reference: median(runs.map(([, one]) => one)),
        ratio: median(runs.map(([two, one]) => two / one)),
        target: '>= 1.6',
        unit: 'lines/s'
      }
    ];
  });
