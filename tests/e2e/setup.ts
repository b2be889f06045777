/** Starts everything once, with three weeks of the demo's history, and signs in. */
import { chmodSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { chromium } from '@playwright/test';
import { start, type Running } from '../../bin/start.ts';
import { DEMO_START, loadDemo } from '../../demo/load.ts';
import config from '../../playwright.config.ts';

const DAY = 86_400_000;

export default async function setup(): Promise<() => Promise<void>> {
  const dir = mkdtempSync(join(tmpdir(), 'ambulo-e2e-'));
  chmodSync(dir, 0o755);
  const root = join(import.meta.dirname, '../..');
  const running = await start({ root, dir, fresh: false, clock: DEMO_START, careless: true, say: () => undefined });
  const stop = async (): Promise<void> => {
    await running.stop();
    rmSync(dir, { recursive: true, force: true });
  };
  try {
    await prepare(running, root, dir);
  } catch (error) {
    // What was started ends with the tests, also when they cannot begin.
    await stop();
    throw error;
  }
  return stop;
}

async function prepare(running: Running, root: string, dir: string): Promise<void> {
  await loadDemo(running.pool, join(root, 'demo'), DEMO_START + 18 * DAY + 2 * 3_600_000, () => undefined);
  process.env['AMBULO_URL'] = running.web;
  process.env['AMBULO_DATABASE'] = running.databaseUrl;
  process.env['AMBULO_POSTBOX'] = running.env['POSTBOX_URL'];
  process.env['AMBULO_SMS_SECRET'] = running.env['SMS_SECRET'];
  process.env['AMBULO_STATE'] = join(dir, 'signed-in.json');

  const browser = await chromium.launch(config.use?.launchOptions);
  const page = await browser.newPage();
  await page.goto(`${running.web}/sign-in`);
  await page.getByRole('button', { name: 'Sign in' }).click();
  await page.waitForURL(`${running.web}/`);
  await page.context().storageState({ path: process.env['AMBULO_STATE'] });
  await browser.close();
}
