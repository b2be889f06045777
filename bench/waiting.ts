/**
 * waiting: what it costs to claim people with work to do while others wait: five million walks that are due some day, against
 * ten thousand. The same few hundred are due now.
 */
import { randomBytes } from 'node:crypto';
import { migrate } from '../server/db/migrate.ts';
import { openPool, ts, type Pool } from '../server/db/pool.ts';
import { claimPeople } from '../server/engine/claim.ts';
import { withCluster } from './database.ts';
import { median, type Benchmark } from './row.ts';

const FEW = 10_000;
const MANY = 5_000_000;
const DUE = 500;
const CLAIMS = 60;
const NOW = Date.parse('2027-03-01T09:00:00Z');

/** Fills up to so many people who wait, spread over a year; what is due was due within the last hour. */
async function fill(pool: Pool, from: number, to: number): Promise<void> {
  await pool.query(
    `insert into people (email, created_at, updated_at) select 'p' || n || '@people.example', $1, $1 from generate_series($2::bigint, $3::bigint) n`,
    [ts(NOW), from + 1, to]
  );
  await pool.query(
    `insert into agenda (person_id, next_at, worked_at, state, walking)
     select n, $1::timestamptz + case when n <= ${DUE} then - (n || ' s')::interval else (1 + n::bigint * 7919 % 31536000 || ' s')::interval end, $1, '{}', 1
     from generate_series($2::bigint, $3::bigint) n`,
    [ts(NOW), from + 1, to]
  );
  await pool.query('vacuum analyze people');
  await pool.query('vacuum analyze agenda');
  await pool.query('checkpoint');
}

/** The middle time of a claim, ms. */
async function claimed(pool: Pool): Promise<number> {
  const times: number[] = [];
  for (let i = 0; i < CLAIMS; i++) {
    const db = await pool.connect();
    await db.query('begin');
    const begun = performance.now();
    const ids = await claimPeople(db, NOW, DUE);
    times.push(performance.now() - begun);
    await db.query('rollback');
    db.release();
    if (ids.length !== DUE) throw new Error(`claimed ${ids.length}, expected ${DUE}`);
  }
  return median(times);
}

export const waiting: Benchmark = (say) =>
  withCluster(async (cluster) => {
    const keeper = openPool(cluster.keeper.replace(/\/[^/]*$/, '/ambulo'), 10, 0);
    const pool = openPool(cluster.url, 10, 0);
    await migrate(pool);
    await pool.query(
      `insert into workspace (name, zone, clock, practice_now, secret) values ('Bench', 'UTC', 'practice', $1, $2)`,
      [ts(NOW), randomBytes(32)]
    );
    await fill(keeper, 0, FEW);
    const few = await claimed(pool);
    say(`${FEW.toLocaleString('en')} waiting: ${few.toFixed(2)} ms`);
    for (let n = FEW; n < MANY; n += 998_000) await fill(keeper, n, Math.min(MANY, n + 998_000));
    const many = await claimed(pool);
    say(`${MANY.toLocaleString('en')} waiting: ${many.toFixed(2)} ms`);
    await pool.end();
    await keeper.end();
    return [
      {
        name: `claiming ${DUE} people, 5 million waiting against 10,000`,
        ours: many,
        reference: few,
        ratio: many / few,
        target: '<= 1.3',
        unit: 'ms'
      }
    ];
  });
