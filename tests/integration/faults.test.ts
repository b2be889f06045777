/**
 * Sixty workers killed with -9 and the database gone for ten seconds, while thousands of mails go out: every mail arrives,
 * and one arrives a second time only where a worker was killed between the server's taking it and its own record of that.
 */
import { fork, type ChildProcess } from 'node:child_process';
import { chmodSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { freePort, startCluster, type Cluster } from '../../bin/postgres.ts';
import { migrate } from '../../server/db/migrate.ts';
import { openPool, type Pool } from '../../server/db/pool.ts';
import { createJourney } from '../../server/journeys/journeys.ts';
import { setLive } from '../../server/journeys/going-live.ts';
import { askChange } from '../../server/people/inputs.ts';
import { startPostbox, type Postbox } from '../../standins/postbox.ts';
import { journey, mail, MONDAY, put } from '../make.ts';

const PEOPLE = 5000;
const KILLS = 60;
const WORKERS = 3;

let dir: string;
let cluster: Cluster;
let pool: Pool;
let postbox: Postbox;
const workers = new Map<string, ChildProcess>();
const killed = new Map<string, number>();
let started = 0;

beforeAll(async () => {
  dir = mkdtempSync(join(tmpdir(), 'ambulo-faults-'));
  chmodSync(dir, 0o755);
  cluster = await startCluster({ dir: join(dir, 'postgres'), port: await freePort(), careless: true });
  pool = openPool(cluster.url);
  await migrate(pool);
  await pool.query(
    `insert into workspace (name, zone, clock, practice_now, secret) values ('Test', 'UTC', 'practice', $1, '\\x00')`,
    [new Date(MONDAY)]
  );
  postbox = await startPostbox({ smtp: 0, http: 0 });
});
afterAll(async () => {
  for (const child of workers.values()) child.kill('SIGKILL');
  await postbox.close();
  await pool.end();
  await cluster.stop();
  rmSync(dir, { recursive: true, force: true });
});

/** A worker of its own process; mail servers know it by its name. */
function startWorker(): void {
  const name = `worker-${++started}`;
  const child = fork('bin/worker.ts', [], {
    execArgv: ['--import', 'tsx'],
    stdio: 'ignore',
    env: {
      PATH: process.env['PATH'],
      HOME: process.env['HOME'],
      DATABASE_URL: cluster.url,
      AMBULO_URL: 'http://127.0.0.1:9999',
      AMBULO_DEMO: '1',
      SMTP_URL: `smtp://127.0.0.1:${postbox.smtpPort}`,
      SMTP_NAME: name,
      MAIL_FROM: 'Test <desk@test.example>',
      MAIL_DOMAIN: 'test.example',
      SMS_FROM: 'Test',
      SMS_URL: 'http://127.0.0.1:9',
      SMS_SECRET: 'x'.repeat(32)
    }
  });
  workers.set(name, child);
}

const sleep = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms));
const done = async (): Promise<number> =>
  (await pool.query<{ n: number }>(`select count(*) as n from messages where state = 'sent'`)).rows[0]?.n ?? 0;
/** Even numbers below n, always the same. */
let seed = 20270301;
const draw = (n: number): number => (seed = (seed * 48271) % 2147483647) % n;

it('nothing is lost, and nothing comes twice but where the wire allows no better', async () => {
  await createJourney(pool, journey([mail('a'), put('done')]), 'test');
  await setLive(pool, 'try', 1, 'test');
  await pool.query(
    `insert into people (email, created_at, updated_at) select 'p' || n || '@people.example', now(), now() from generate_series(1, ${PEOPLE}) n`
  );
  await pool.query(`insert into consents select id, 'email', 'given', now(), 'test' from people`);
  // Slow enough that whoever is killed has something in hand.
  postbox.setDelay(100);
  await askChange(
    pool,
    Array.from({ length: PEOPLE }, (_, i) => i + 1),
    { addTags: ['in'] },
    'test'
  );
  for (let n = 0; n < WORKERS; n++) startWorker();
  await expect.poll(done, { timeout: 30_000 }).toBeGreaterThan(0);

  for (let kill = 1; kill <= KILLS; kill++) {
    await sleep(300 + draw(700));
    // The oldest: the others are just starting.
    const [name, child] = [...workers][0]!;
    workers.delete(name);
    child.kill('SIGKILL');
    killed.set(name, Date.now());
    startWorker();
    if (kill === KILLS / 2) {
      await cluster.kill();
      await pool.end();
      await sleep(10_000);
      cluster = await startCluster({ dir: join(dir, 'postgres'), port: cluster.port, careless: true });
      pool = openPool(cluster.url);
    }
  }
  postbox.setDelay(0);
  await expect.poll(done, { timeout: 180_000, interval: 500 }).toBe(PEOPLE);

  expect(new Set(postbox.mails.map((m) => m.to)).size).toBe(PEOPLE);
  expect(postbox.mails).toHaveLength(PEOPLE);
  const twice = postbox.mails.filter((m) => m.repeats > 0);
  for (const { senders } of twice) {
    for (const [i, sender] of senders.entries()) {
      const next = senders[i + 1];
      if (!next) continue;
      const died = killed.get(sender.name) ?? Infinity;
      // It died with the mail taken, or wholly on its way, and before anyone else sent it: nobody could record that.
      expect(died, `${sender.name} lived on`).toBeGreaterThanOrEqual(sender.at - 1000);
      expect(died, `${sender.name} lived when it was sent again`).toBeLessThan(next.at);
    }
  }
  // Each kill leaves at most what one worker has in hand over its connections.
  expect(twice.length).toBeLessThanOrEqual(KILLS * 8);
  process.stdout.write(`${twice.length} of ${PEOPLE} mails came twice under ${KILLS} kills\n`);
  const { rows } = await pool.query(
    `select what, count(*) as lines, count(distinct person_id) as people from trail group by 1 order by 1`
  );
  expect(rows).toEqual(['entered', 'left', 'sent', 'tagged'].map((what) => ({ what, lines: PEOPLE, people: PEOPLE })));
}, 400_000);
