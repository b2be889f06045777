/**
 * enter: existing people entering a journey that goes live, in people per second, against one `insert … select` of the same
 * rows in the same tables. The journey waits at once, so what is measured is the entering: the request in the inbox, the
 * claim, the rules, the walk with its lines and its place in the agenda.
 */
import { randomBytes } from 'node:crypto';
import type { Journey } from '../core/journey/schema.ts';
import { workCrowd } from '../server/crowds/crowds.ts';
import { migrate } from '../server/db/migrate.ts';
import { openPool, ts, type Pool } from '../server/db/pool.ts';
import { runBatch } from '../server/engine/batch.ts';
import { PlanBook } from '../server/engine/plans.ts';
import { createJourney } from '../server/journeys/journeys.ts';
import { setLive } from '../server/journeys/going-live.ts';
import { withCluster } from './database.ts';
import { median, type Benchmark } from './row.ts';

const PEOPLE = 20_000;
const ROUNDS = 3;
const START = Date.parse('2027-03-01T09:00:00Z');

const document: Journey = {
  format: 'ambulo.journey/1',
  key: 'bench',
  entry: { on: [{ happening: 'tag_added', tag: 'in' }], existing: true, where: { consent: 'email' } },
  lane: [
    { key: 'w', kind: 'wait', for: 'P2D' },
    { key: 't', kind: 'tag', add: ['done'] }
  ]
};

async function prepare(pool: Pool): Promise<void> {
  await pool.query('truncate people, journeys, workspace, tags, trail, flow restart identity cascade');
  await pool.query(
    `insert into workspace (name, zone, clock, practice_now, secret) values ('Bench', 'UTC', 'practice', $1, $2)`,
    [ts(START), randomBytes(32)]
  );
  await pool.query(
    `insert into people (email, created_at, updated_at) select 'p' || n || '@people.example', $1, $1 from generate_series(1, ${PEOPLE}) n`,
    [ts(START)]
  );
  await pool.query(`insert into consents select id, 'email', 'given', $1, 'bench' from people`, [ts(START)]);
  await pool.query(`insert into person_tags select id, 'in', $1 from people`, [ts(START)]);
  await pool.query('vacuum analyze');
}

async function timed(work: () => Promise<unknown>): Promise<number> {
  const began = performance.now();
  await work();
  return PEOPLE / ((performance.now() - began) / 1000);
}

async function ours(pool: Pool): Promise<number> {
  await prepare(pool);
  const key = await createJourney(pool, document, 'bench');
  const plans = new PlanBook();
  return timed(async () => {
    const live = await setLive(pool, key, 1, 'bench');
    if (!live.ok) throw new Error(live.message);
    for (;;) {
      const asked = await workCrowd(pool, plans.settings);
      const { people } = await runBatch(pool, plans);
      if (!asked && !people) return;
    }
  });
}

/** The rows that the run before has written, written again in one statement a table. */
async function bare(pool: Pool): Promise<number> {
  const tables = ['walks', 'trail', 'happenings', 'agenda'];
  for (const table of tables) {
    await pool.query(`drop table if exists kept_${table}`);
    await pool.query(`create unlogged table kept_${table} as select * from ${table}`);
  }
  await prepare(pool);
  await createJourney(pool, document, 'bench');
  return timed(async () => {
    for (const table of tables) {
      const overriding = table === 'walks' || table === 'agenda' ? '' : 'overriding system value';
      await pool.query(`insert into ${table} ${overriding} select * from kept_${table}`);
    }
  });
}

export const enter: Benchmark = (say) =>
  withCluster(async (cluster) => {
    const pool = openPool(await cluster.createDatabase('bench'), 10, 0);
    await migrate(pool);
    const measured: [number, number][] = [];
    for (let round = 0; round < ROUNDS; round++) {
      const a = await ours(pool);
      const b = await bare(pool);
      say(`round ${round + 1}: ${Math.round(a)} and ${Math.round(b)} people a second`);
      measured.push([a, b]);
    }
    await pool.end();
    const own = median(measured.map(([a]) => a));
    const reference = median(measured.map(([, b]) => b));
    return [
      {
        name: `${PEOPLE.toLocaleString('en')} existing people enter`,
        ours: own,
        reference,
        ratio: own / reference,
        target: '>= 0.2',
        unit: 'people a second'
      }
    ];
  });
