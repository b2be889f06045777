/**
 * queue: steps per second of the live engine against one job a step on a general job queue (graphile-worker, the newest that
 * runs on this Node.js), at its best concurrency, writing the same trail and outbox rows: each job takes the step its walk is
 * at, moves the walk, and asks for the next job. Waits are over at once on both sides.
 */
import { Logger, run, type Task } from 'graphile-worker';
import { migrate } from '../server/db/migrate.ts';
import { openPool, ts, type Pool } from '../server/db/pool.ts';
import { withCluster } from './database.ts';
import { DAY, ours, prepare, START } from './engine.ts';
import { median, type Benchmark } from './row.ts';

/** Walks of the queue's run: fewer, because it is slower, and a rate does not depend on how many. */
const WALKS = 1500;
const CONCURRENCY = [4, 8, 16, 32];
const ROUNDS = 3;
/** Lines of one walk's trail. */
const LINES = 8;

/** One job: the line that it writes, and what stands in a step's way. */
const step: Task = async (payload, { query }) => {
  const { person, at } = payload as { person: number; at: number };
  const now = ts(START + (at < 3 ? 0 : at < 6 ? 2 : 3) * DAY);
  const line = (key: string | null, what: string, detail: object): Promise<unknown> =>
    query(
      `insert into trail (person_id, walk_id, journey_id, version, at, step, what, detail, record) values ($1, 1, 1, 1, $2, $3, $4, $5, $6)`,
      [person, now, key, what, JSON.stringify(detail), at]
    );
  const send = (key: string, channel: string): Promise<unknown> =>
    query(
      `insert into messages (person_id, walk_id, journey_id, version, step, visit, channel, address, created_at, try_at)
       select $1, 1, 1, 1, $2, 1, $3, p.email, $4, $4 from people p
       where p.id = $1 and exists (select from consents c where c.person_id = p.id and c.channel = $3 and c.state = 'given')`,
      [person, key, channel, now]
    );
  const keen = person % 2 === 0;
  switch (at) {
    case 0:
      await query(
        `insert into walks (person_id, id, journey_id, version, state, at_step, begun_by, entered_at) values ($1, 1, 1, 1, 'walking', 0, 'tag_added', $2)`,
        [person, now]
      );
      await line(null, 'entered', { by: 'tag_added' });
      break;
    case 1:
      await send('a', 'email');
      await line('a', 'sent', { channel: 'email' });
      break;
    case 2:
    case 5:
      await line(at === 2 ? 'w' : 'v', 'waiting', { until: now });
      break;
    case 3: {
      const { rows } = await query<{ yes: boolean }>(
        `select exists (select from happenings where person_id = $1 and name = 'opened') as yes`,
        [person]
      );
      await line('ask', 'took', { lane: rows[0]?.yes ? 'opened' : 'not' });
      break;
    }
    case 4:
      if (keen) {
        await query(`insert into person_tags (person_id, tag, since) values ($1, 'keen', $2) on conflict do nothing`, [
          person,
          now
        ]);
        await line('keen', 'tagged', { add: ['keen'], remove: [] });
      } else {
        await send('t', 'sms');
        await line('t', 'sent', { channel: 'sms' });
      }
      break;
    case 6:
      await query(`insert into scores values ($1, 'interest', 5, $2)`, [person, now]);
      await line('points', 'scored', { score: 'interest', points: 5 });
      break;
    default:
      await line(null, 'left', { as: 'finished' });
  }
  await query(`update walks set at_step = $2, state = $3 where person_id = $1 and id = 1`, [
    person,
    at + 1,
    at === LINES - 1 ? 'finished' : 'walking'
  ]);
  if (at < LINES - 1)
    await query(`select graphile_worker.add_job('step', json_build_object('person', $1::bigint, 'at', $2::integer))`, [
      person,
      at + 1
    ]);
};

/** Lines a second of the queue. */
async function queued(url: string, pool: Pool, concurrency: number): Promise<number> {
  await prepare(pool);
  await pool.query('drop schema if exists graphile_worker cascade');
  const quiet = new Logger(() => () => undefined);
  const options = {
    connectionString: url,
    concurrency,
    maxPoolSize: concurrency + 4,
    logger: quiet,
    noHandleSignals: true,
    pollInterval: 50
  };
  // Once without jobs, so that its tables are there.
  const first = await run({ ...options, taskList: { step } });
  await first.stop();
  await pool.query(
    `insert into happenings (person_id, name, at, source, data, handled_at)
     select id, 'opened', $1, 'bench', '{}', $1 from people where id % 2 = 0 and id <= ${WALKS}`,
    [ts(START + DAY)]
  );
  await pool.query(
    `select graphile_worker.add_job('step', json_build_object('person', n, 'at', 0)) from generate_series(1, ${WALKS}) n`
  );
  await pool.query('vacuum analyze');
  const begun = performance.now();
  const runner = await run({ ...options, taskList: { step } });
  for (;;) {
    const { rows } = await pool.query<{ n: number }>(`select count(*) as n from walks where state = 'finished'`);
    if (rows[0]?.n === WALKS) break;
    await new Promise((resolve) => setTimeout(resolve, 50));
  }
  const rate = (WALKS * LINES) / ((performance.now() - begun) / 1000);
  await runner.stop();
  await pool.query('drop schema graphile_worker cascade');
  return rate;
}

export const queue: Benchmark = (say) =>
  withCluster(async (cluster) => {
    const pool = openPool(cluster.url, 10, 0);
    await migrate(pool);
    const tried: [number, number][] = [];
    for (const concurrency of CONCURRENCY) tried.push([concurrency, await queued(cluster.url, pool, concurrency)]);
    const [best = 8] = tried.sort((a, b) => b[1] - a[1])[0] ?? [];
    say(`jobs: ${tried.map(([c, rate]) => `${c} at once ${Math.round(rate)}`).join(', ')} steps/s`);
    const runs: [number, number][] = [];
    for (let round = 1; round <= ROUNDS; round++) {
      const mine = await ours(pool);
      const theirs = await queued(cluster.url, pool, best);
      say(`round ${round}: ${Math.round(mine)} steps/s, one job a step ${Math.round(theirs)}`);
      runs.push([mine, theirs]);
    }
    await pool.end();
    return [
      {
        name: `live engine against one job a step, ${best} at once`,
        ours: median(runs.map(([a]) => a)),
        reference: median(runs.map(([, b]) => b)),
        ratio: median(runs.map(([a, b]) => a / b)),
        target: '>= 8',
        unit: 'steps/s'
      }
    ];
  });
