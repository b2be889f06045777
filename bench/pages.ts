/**
 * pages: how long the server takes to answer each page of the demo, at the
 * median, with 600 people and 100,000 trail rows; the reference is the health
 * page, which asks the database one question.
 */
import { join } from 'node:path';
import { chmodSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { DEMO_NOW, DEMO_START, loadDemo } from '../demo/load.ts';
import { start } from '../bin/start.ts';
import { DEMO_USER } from '../server/access/demo-user.ts';
import { median, type Benchmark } from './row.ts';

const TRAIL_ROWS = 100_000;
const TIMES = 25;
const PAGES = [
  '/',
  '/journeys',
  '/journeys/after-the-first-visit',
  '/journeys/after-the-first-visit?view=watch',
  '/journeys/open-evening/review',
  '/people',
  '/people?q=ada',
  '/people/7',
  '/replies',
  '/stand-ins/postbox',
  '/stand-ins/handset'
];

export const pages: Benchmark = async (say) => {
  const root = join(import.meta.dirname, '..');
  const dir = mkdtempSync(join(tmpdir(), 'ambulo-bench-'));
  chmodSync(dir, 0o755);
  const running = await start({ root, dir, fresh: false, clock: DEMO_START, say });
  try {
    await loadDemo(running.pool, join(root, 'demo'), DEMO_NOW, () => undefined);
    // More of the same history: each line again under the same walk, until there are enough.
    await running.pool.query(
      `insert into trail (person_id, walk_id, journey_id, version, at, step, what, detail)
       select person_id, walk_id, journey_id, version, at, step, what, detail
       from trail, generate_series(1, (select ceil(${TRAIL_ROWS}::numeric / count(*))::integer from trail))
       limit ${TRAIL_ROWS}`
    );
    await running.pool.query('analyze');
    const signIn = await fetch(`${running.web}/sign-in`, {
      method: 'POST',
      headers: { origin: running.web },
      body: new URLSearchParams({ email: DEMO_USER.email, password: DEMO_USER.password }),
      redirect: 'manual'
    });
    const cookie = signIn.headers.get('set-cookie')?.split(';')[0] ?? '';
    const answer = async (path: string): Promise<number> => {
      const times: number[] = [];
      for (let i = 0; i < TIMES; i++) {
        const began = performance.now();
        const response = await fetch(running.web + path, { headers: { cookie, accept: 'text/html' } });
        await response.arrayBuffer();
        if (!response.ok) throw new Error(`${path} answered ${response.status}`);
        times.push(performance.now() - began);
      }
      return median(times);
    };
    await answer('/');
    const rows = [];
    for (const path of PAGES) {
      const ours = await answer(path);
      const reference = await answer('/health');
      rows.push({
        name: `page ${path}`,
        ours,
        reference,
        ratio: ours / reference,
        target: 'under 100 ms',
        unit: 'ms at the median'
      });
    }
    return rows;
  } finally {
    await running.stop();
    rmSync(dir, { recursive: true, force: true });
  }
};
