/** Starts a world for each worker of the tests, with three weeks of the demo's history, lived through once, and signs in to each. */
import { execFileSync } from 'node:child_process';
import { mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { chromium } from '@playwright/test';
import { choosePorts, start, type Ports, type Running } from '../../bin/start.ts';
import { DEMO_START, loadDemo } from '../../demo/load.ts';
import config from '../../playwright.config.ts';

const DAY = 86_400_000;

export default async function setup(): Promise<() => Promise<void>> {
  const count = Number(config.workers);
  const first = await live();
  const dirs = [first.dir];
  const started: World[] = [];
  const stop = async (): Promise<void> => {
    await Promise.all(started.map((w) => w.stop()));
    for (const dir of dirs) rmSync(dir, { recursive: true, force: true });
  };
  try {
    for (let i = 1; i < count; i++) {
      const dir = newFolder();
      dirs.push(dir);
      // With its owners: the database's files are another user's.
      execFileSync('cp', ['-a', `${first.dir}/.`, dir]);
    }
    const all = await Promise.allSettled(dirs.map((dir) => open(dir, first)));
    for (const world of all) if (world.status === 'fulfilled') started.push(world.value);
    const broken = all.find((w) => w.status === 'rejected');
    if (broken) throw broken.reason;
  } catch (error) {
    // What was started ends with the tests, also when they cannot begin.
    await stop();
    throw error;
  }
  process.env['AMBULO_WORLDS'] = JSON.stringify(started.map((w) => w.env));
  return stop;
}

interface World {
  env: Record<string, string | undefined>;
  stop(): Promise<void>;
}

const newFolder = (): string => mkdtempSync(join(tmpdir(), 'ambulo-e2e-'));
const ROOT = join(import.meta.dirname, '../..');
const startIn = (dir: string, ports?: Ports): Promise<Running> =>
  start({
    root: ROOT,
    dir,
    fresh: false,
    clock: DEMO_START,
    careless: true,
    say: () => undefined,
    ...(ports ? { ports } : {})
  });

/** What all worlds begin from: three weeks, lived through once. */
interface Lived {
  dir: string;
  ports: Ports;
}

async function live(): Promise<Lived> {
  const dir = newFolder();
  let running: Running | null = null;
  try {
    running = await startIn(dir);
    await loadDemo(running.pool, join(ROOT, 'demo'), DEMO_START + 18 * DAY + 2 * 3_600_000, () => undefined);
    return { dir, ports: running.ports };
  } catch (error) {
    rmSync(dir, { recursive: true, force: true });
    throw error;
  } finally {
    await running?.stop();
  }
}

/** Starts one in a folder that was lived in, and signs in; gives what a test has to know of it. */
async function open(dir: string, lived: Lived): Promise<World> {
  const here = dir === lived.dir ? lived.ports : await choosePorts(undefined, () => undefined);
  // Links in mails that came before lead to the world that they were copied into.
  const mails = join(dir, 'stand-ins');
  for (const name of readdirSync(mails)) {
    const file = join(mails, name);
    const text = readFileSync(file, 'utf8');
    writeFileSync(file, text.replaceAll(`127.0.0.1:${lived.ports.web}/`, `127.0.0.1:${here.web}/`));
  }
  const running = await startIn(dir, here);
  const state = join(dir, 'signed-in.json');
  const browser = await chromium.launch(config.use?.launchOptions);
  const page = await browser.newPage();
  await page.goto(`${running.web}/sign-in`);
  await page.getByRole('button', { name: 'Sign in' }).click();
  await page.waitForURL(`${running.web}/`);
  await page.context().storageState({ path: state });
  await browser.close();
  return {
    env: {
      AMBULO_URL: running.web,
      AMBULO_DATABASE: running.databaseUrl,
      AMBULO_POSTBOX: running.env['POSTBOX_URL'],
      AMBULO_SMS_SECRET: running.env['SMS_SECRET'],
      AMBULO_STATE: state
    },
    stop: () => running.stop()
  };
}
