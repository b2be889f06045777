/** Starts a world for each worker of the tests, with three weeks of the demo's history, and signs in to each. */
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { chromium } from '@playwright/test';
import { start, type Running } from '../../bin/start.ts';
import { DEMO_START, loadDemo } from '../../demo/load.ts';
import config from '../../playwright.config.ts';

const DAY = 86_400_000;

export default async function setup(): Promise<() => Promise<void>> {
  const worlds = await Promise.allSettled(Array.from({ length: Number(config.workers) }, () => open()));
  const stop = async (): Promise<void> => {
    await Promise.all(worlds.map((w) => (w.status === 'fulfilled' ? w.value.close() : undefined)));
  };
  const broken = worlds.find((w) => w.status === 'rejected');
  if (broken) {
    // What was started ends with the tests, also when they cannot begin.
    await stop();
    throw broken.reason;
  }
  process.env['AMBULO_WORLDS'] = JSON.stringify(worlds.map((w) => (w.status === 'fulfilled' ? w.value.env : {})));
  return stop;
}

interface World {
  env: Record<string, string | undefined>;
  close(): Promise<void>;
}

async function open(): Promise<World> {
  const dir = mkdtempSync(join(tmpdir(), 'ambulo-e2e-'));
  const root = join(import.meta.dirname, '../..');
  let running: Running | null = null;
  const close = async (): Promise<void> => {
    await running?.stop();
    rmSync(dir, { recursive: true, force: true });
  };
  try {
    running = await start({ root, dir, fresh: false, clock: DEMO_START, careless: true, say: () => undefined });
    return { env: await prepare(running, root, dir), close };
  } catch (error) {
    await close();
    throw error;
  }
}

/** Loads the world and signs in; gives what a test has to know of it. */
async function prepare(running: Running, root: string, dir: string): Promise<World['env']> {
  await loadDemo(running.pool, join(root, 'demo'), DEMO_START + 18 * DAY + 2 * 3_600_000, () => undefined);
  const state = join(dir, 'signed-in.json');
  const browser = await chromium.launch(config.use?.launchOptions);
  const page = await browser.newPage();
  await page.goto(`${running.web}/sign-in`);
  await page.getByRole('button', { name: 'Sign in' }).click();
  await page.waitForURL(`${running.web}/`);
  await page.context().storageState({ path: state });
  await browser.close();
  return {
    AMBULO_URL: running.web,
    AMBULO_DATABASE: running.databaseUrl,
    AMBULO_POSTBOX: running.env['POSTBOX_URL'],
    AMBULO_SMS_SECRET: running.env['SMS_SECRET'],
    AMBULO_STATE: state
  };
}
