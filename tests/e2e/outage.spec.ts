/** Everything that can end, ended at a bad moment: nothing is lost, nothing comes twice. An instance of its own. */
import { chmodSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect, test } from '@playwright/test';
import { startCluster, type Cluster } from '../../bin/postgres.ts';
import { start, type Running } from '../../bin/start.ts';
import { DEMO_START } from '../../demo/load.ts';
import { askSkip } from '../../server/running/skip.ts';
import { openPool, type Pool } from '../../server/db/pool.ts';
import { createJourney } from '../../server/journeys/journeys.ts';
import { setLive } from '../../server/journeys/going-live.ts';
import { askChange } from '../../server/people/inputs.ts';
import { journey, mail, put, wait } from '../make.ts';

const PEOPLE = 400;
let dir: string;
let running: Running;
let restarted: Cluster | null = null;

test.beforeAll(async () => {
  dir = mkdtempSync(join(tmpdir(), 'ambulo-outage-'));
  chmodSync(dir, 0o755);
  running = await start({
    root: process.cwd(),
    dir,
    fresh: false,
    clock: DEMO_START,
    careless: true,
    say: () => undefined
  });
});
test.afterAll(async () => {
  await running.stop();
  await restarted?.stop();
  rmSync(dir, { recursive: true, force: true });
});

test('the worker killed and the database gone in the middle of the work', async ({ page }) => {
  let pool: Pool = running.pool;
  await createJourney(pool, journey([mail('a'), wait('w'), mail('b'), put('done')]), 'test');
  const live = await setLive(pool, 'try', 1, 'test');
  expect(live).toMatchObject({ ok: true });
  await pool.query(
    `insert into people (email, created_at, updated_at) select 'p' || n || '@people.example', now(), now() from generate_series(1, ${PEOPLE}) n`
  );
  await pool.query(`insert into consents select id, 'email', 'given', now(), 'test' from people`);

  await page.goto(`${running.web}/sign-in`);
  await page.getByRole('button', { name: 'Sign in' }).click();
  await page.waitForURL(`${running.web}/`);
  await page.goto(`${running.web}/journeys/try?step=a`);
  await page.getByRole('textbox', { name: 'Subject' }).fill('Before the outage');
  await expect(page.getByTestId('saved')).toHaveText(/^saved/);

  const everyone = Array.from({ length: PEOPLE }, (_, i) => i + 1);
  await askChange(pool, everyone, { addTags: ['in'] }, 'test');
  process.kill(running.workerPid(), 'SIGKILL');
  const sent = async (): Promise<number> =>
    (await pool.query<{ n: number }>(`select count(*) as n from messages where state = 'sent'`)).rows[0]?.n ?? 0;
  await expect.poll(sent, { timeout: 30_000 }).toBeGreaterThan(10);
  process.kill(running.workerPid(), 'SIGKILL');
  await running.cluster.kill();

  // The open sheet says so, keeps what is typed, and goes on trying.
  await page.getByRole('textbox', { name: 'Subject' }).fill('Typed in the outage');
  await expect(page.getByRole('alert')).toContainText('Not saved. The database cannot be reached');
  const other = await page.context().newPage();
  const response = await other.goto(`${running.web}/people`);
  expect(response?.status()).toBe(503);
  await expect(other.getByRole('heading')).toHaveText('The database cannot be reached at the moment.');

  // Ten seconds, as a restart of the database takes.
  await new Promise((resolve) => setTimeout(resolve, 10_000));
  restarted = await startCluster({ dir: join(dir, 'postgres'), port: running.ports.database, careless: true });
  pool = openPool(restarted.url);

  await expect(page.getByTestId('saved')).toHaveText(/^saved/, { timeout: 20_000 });
  await expect(other.getByRole('heading', { name: 'People' })).toBeVisible({ timeout: 20_000 });
  expect((await pool.query<{ draft: unknown }>(`select draft from journeys`)).rows[0]?.draft).toMatchObject({
    lane: [{ subject: 'Typed in the outage' }, {}, {}, {}]
  });

  await askSkip(pool, DEMO_START + 2 * 86_400_000, false, 'test');
  await expect
    .poll(async () => (await pool.query<{ state: string }>('select state from clock_skips')).rows[0]?.state, {
      timeout: 60_000
    })
    .toBe('done');

  const trail = await pool.query<{ what: string; lines: number; people: number }>(
    `select what, count(*) as lines, count(distinct person_id) as people from trail group by 1 order by 1`
  );
  expect(trail.rows).toEqual([
    { what: 'entered', lines: PEOPLE, people: PEOPLE },
    { what: 'left', lines: PEOPLE, people: PEOPLE },
    { what: 'sent', lines: 2 * PEOPLE, people: PEOPLE },
    { what: 'tagged', lines: PEOPLE, people: PEOPLE },
    { what: 'waiting', lines: PEOPLE, people: PEOPLE }
  ]);
  const mails = (await (
    await fetch(`http://127.0.0.1:${running.ports.postbox}/api/mail?whole=1&limit=5000`)
  ).json()) as { mail: { messageId: string }[] };
  expect(new Set(mails.mail.map((m) => m.messageId)).size).toBe(2 * PEOPLE);
  expect(mails.mail).toHaveLength(2 * PEOPLE);
  await pool.end();
});
