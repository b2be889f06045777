/**
 * intake: mails opened and links followed, requests per second that the application takes (token checked, message found,
 * happening stored) against plain node:http with a batched insert. Both answer once it is stored; whoever asks does so over 64
 * connections from this process, which shares the machine with either.
 */
import { execFileSync, fork, type ChildProcess } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import { Agent, request } from 'node:http';
import { freePort } from '../bin/postgres.ts';
import { migrate } from '../server/db/migrate.ts';
import { openPool, ts } from '../server/db/pool.ts';
import { signToken } from '../server/intake/token.ts';
import { withCluster } from './database.ts';
import { median, type Benchmark } from './row.ts';

const MESSAGES = 20_000;
const CONNECTIONS = 64;
const ROUNDS = 3;
const NOW = Date.parse('2027-03-01T09:00:00Z');
const READER = 'Mozilla/5.0 (X11; Linux x86_64; rv:140.0) Gecko/20100101 Firefox/140.0';

/** Asks for every path once; requests a second. */
async function asked(port: number, paths: string[]): Promise<number> {
  const agent = new Agent({ keepAlive: true, maxSockets: CONNECTIONS });
  let next = 0;
  let wrong = 0;
  const one = (path: string): Promise<void> =>
    new Promise((resolve, reject) => {
      request({ host: '127.0.0.1', port, path, agent, headers: { 'user-agent': READER } }, (response) => {
        if (response.statusCode !== 200 && response.statusCode !== 302) wrong++;
        response.resume().on('end', resolve);
      })
        .on('error', reject)
        .end();
    });
  const begun = performance.now();
  await Promise.all(
    Array.from({ length: CONNECTIONS }, async () => {
      for (let path = paths[next++]; path !== undefined; path = paths[next++]) await one(path);
    })
  );
  const rate = paths.length / ((performance.now() - begun) / 1000);
  agent.destroy();
  if (wrong) throw new Error(`${wrong} of ${paths.length} requests were not answered as they should be`);
  return rate;
}

async function started(file: string, env: Record<string, string>, tsx: boolean): Promise<ChildProcess> {
  const child = fork(file, [], {
    execArgv: tsx ? ['--import', 'tsx'] : [],
    env: { PATH: process.env['PATH'], HOME: process.env['HOME'], NODE_ENV: 'production', ...env },
    stdio: ['ignore', 'ignore', 'inherit', 'ipc']
  });
  const port = Number(env['PORT']);
  for (let tries = 0; tries < 200; tries++) {
    const there = await new Promise<boolean>((resolve) => {
      request({ host: '127.0.0.1', port, path: '/health' }, (r) => resolve(r.resume() && true))
        .on('error', () => resolve(false))
        .end();
    });
    if (there) return child;
    await new Promise((resolve) => setTimeout(resolve, 50));
  }
  throw new Error(`${file} does not answer`);
}

export const intake: Benchmark = (say) =>
  withCluster(async (cluster) => {
    execFileSync(process.execPath, ['-e', "import('./bin/setup.mjs').then((m) => m.ensureBuild())"]);
    const pool = openPool(cluster.url, 10, 0);
    await migrate(pool);
    const secret = randomBytes(32);
    await pool.query(
      `insert into workspace (name, zone, clock, practice_now, secret) values ('Bench', 'UTC', 'practice', $1, $2)`,
      [ts(NOW), secret]
    );
    await pool.query(
      `insert into journeys (key, name, state, draft, draft_saved_at, live_version, created_at, created_by) values ('bench', 'Bench', 'live', '{}', $1, 1, $1, 'bench')`,
      [ts(NOW)]
    );
    await pool.query(
      `insert into people (email, created_at, updated_at) select 'p' || n || '@people.example', $1, $1 from generate_series(1, ${MESSAGES}) n`,
      [ts(NOW)]
    );
    await pool.query(
      `insert into messages (person_id, walk_id, journey_id, version, step, visit, channel, address, created_at, try_at, state, links)
       select id, 1, 1, 1, 'a', 1, 'email', email, $1, $1, 'sent', '[["https://quillmoor.example/", 0]]' from people`,
      [ts(NOW)]
    );
    await pool.query(
      'create table fetched (id bigint generated always as identity primary key, url text not null, at timestamptz not null)'
    );
    const { rows } = await pool.query<{ person_id: number; id: number }>(
      'select person_id, id from messages order by 1'
    );
    const paths = rows.flatMap(({ person_id: person, id: message }) => [
      `/o/${signToken(secret, 'open', { person, message, number: 0 })}`,
      `/l/${signToken(secret, 'link', { person, message, number: 1 })}`
    ]);
    const runs: [number, number][] = [];
    for (let round = 1; round <= ROUNDS; round++) {
      await pool.query('truncate happenings, fetched');
      await pool.query('vacuum analyze');
      const port = String(await freePort());
      const app = await started(
        'bin/web.mjs',
        {
          DATABASE_URL: cluster.url,
          PORT: port,
          ORIGIN: `http://127.0.0.1:${port}`,
          AMBULO_URL: `http://127.0.0.1:${port}`,
          AMBULO_DEMO: '1',
          SMTP_URL: 'smtp://127.0.0.1:9',
          MAIL_FROM: 'Bench <desk@bench.example>',
          MAIL_DOMAIN: 'bench.example',
          SMS_URL: 'http://127.0.0.1:9',
          SMS_SECRET: 'x'.repeat(32),
          SMS_FROM: 'Bench'
        },
        false
      );
      await asked(Number(port), paths.slice(0, 2000));
      const mine = await asked(Number(port), paths.slice(2000));
      app.kill('SIGKILL');
      const { rows: stored } = await pool.query<{ n: number }>('select count(*) as n from happenings');
      if (stored[0]?.n !== paths.length) throw new Error(`stored ${stored[0]?.n} of ${paths.length}`);
      const other = String(await freePort());
      const plain = await started('bench/intake-reference.ts', { DATABASE_URL: cluster.url, PORT: other }, true);
      await asked(Number(other), paths.slice(0, 2000));
      const reference = await asked(Number(other), paths.slice(2000));
      plain.kill('SIGKILL');
      say(`round ${round}: ${Math.round(mine)} requests/s, plain ${Math.round(reference)}`);
      runs.push([mine, reference]);
    }
    await pool.end();
    return [
      {
        name: 'mails opened and links followed',
        ours: median(runs.map(([a]) => a)),
        reference: median(runs.map(([, b]) => b)),
        ratio: median(runs.map(([a, b]) => a / b)),
        target: '>= 0.5',
        unit: 'requests/s'
      }
    ];
  });
