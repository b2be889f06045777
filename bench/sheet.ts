/**
 * sheet: from an edit to its paint on a route sheet of 300 steps, 12 levels and 60 lanes, in headless Chromium, beside one
 * frame of the same page at rest; and the longest task while the sheet is scrolled from end to end, beside 50 ms.
 */
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { chromium, type Page } from '@playwright/test';
import { start } from '../bin/start.ts';
import { FORMAT, type Journey } from '../core/journey/schema.ts';
import { eachStep } from '../core/journey/walk-document.ts';
import { lanesOf, type Step } from '../core/steps/index.ts';
import { DEMO_START } from '../demo/load.ts';
import config from '../playwright.config.ts';
import { createJourney } from '../server/journeys/journeys.ts';
import { median, type Benchmark } from './row.ts';

const STEPS = 300;
const LANES = 60;
const LEVELS = 12;
const ROUNDS = 15;

/** A journey of that size: two arms that go down to the last level, and the rest along the main lane. */
export function large(): Journey {
  let n = 0;
  const mail = (): Step => {
    n++;
    return {
      key: `m${n}`,
      kind: 'email',
      name: `Mail ${n}`,
      subject: `Number ${n}`,
      text: `See https://quillmoor.example/${n}`
    };
  };
  const some = (count: number): Step[] =>
    Array.from({ length: count }, (_, i) =>
      i % 3 === 1
        ? { key: `w${++n}`, kind: 'wait', for: 'P2D' }
        : i % 3 === 0
          ? mail()
          : { key: `t${++n}`, kind: 'tag', add: ['keen'] }
    );
  let lanes = 1;
  const fork = (level: number): Step => {
    lanes += 2;
    const inside = some(3);
    if (level + 1 < LEVELS && lanes + 2 <= LANES) inside.push(fork(level + 1));
    return {
      key: `b${++n}`,
      kind: 'branch',
      by: 'rules',
      lanes: [{ label: `keen ${n}`, when: { tag: 'keen' }, lane: inside }],
      otherwise: { label: `not ${n}`, lane: some(2) }
    };
  };
  const lane: Step[] = some(4);
  while (lanes + 2 <= LANES) lane.push(fork(2), ...some(2));
  const count = (): number => eachStep({ lane }).length;
  while (count() < STEPS) lane.push(...some(Math.min(3, STEPS - count())));
  return {
    format: FORMAT,
    key: 'large',
    name: 'Large',
    entry: { on: [{ happening: 'tag_added', tag: 'keen' }] },
    goal: { when: { tag: 'done' } },
    lane
  };
}

/** Ms of one frame at rest. */
const frame = (page: Page): Promise<number> =>
  page.evaluate(async () => {
    const times: number[] = [];
    for (let i = 0; i < 40; i++) times.push(await new Promise<number>((r) => requestAnimationFrame(r)));
    return ((times.at(-1) ?? 0) - (times[0] ?? 0)) / 39;
  });

/** Ms from a key that turns a step off to the paint that shows it. */
const edit = (page: Page): Promise<number> =>
  page.evaluate(async () => {
    const sheet = document.querySelector<HTMLElement>('.sheet');
    await new Promise((r) => setTimeout(r, 600));
    const from = performance.now();
    sheet?.dispatchEvent(new KeyboardEvent('keydown', { key: 'o', bubbles: true }));
    // A task behind the frame that the change is drawn in comes once it is painted.
    await new Promise<void>((done) =>
      requestAnimationFrame(() => {
        const channel = new MessageChannel();
        channel.port1.onmessage = () => done();
        channel.port2.postMessage(0);
      })
    );
    return performance.now() - from;
  });

/** The longest task in ms while the sheet is scrolled to its end and back. */
const scroll = (page: Page): Promise<number> =>
  page.evaluate(async () => {
    let longest = 0;
    const observer = new PerformanceObserver((list) => {
      for (const entry of list.getEntries()) longest = Math.max(longest, entry.duration);
    });
    observer.observe({ entryTypes: ['longtask'] });
    const sheet = document.querySelector<HTMLElement>('.sheet');
    for (let i = 0; sheet && i < 120; i++) {
      const share = i < 60 ? i / 60 : (120 - i) / 60;
      sheet.scrollTo(share * sheet.scrollWidth, share * sheet.scrollHeight);
      await new Promise((r) => requestAnimationFrame(r));
    }
    await new Promise((r) => setTimeout(r, 200));
    observer.disconnect();
    return longest;
  });

export const sheet: Benchmark = async (say) => {
  const dir = mkdtempSync(join(tmpdir(), 'ambulo-bench-'));
  const running = await start({
    root: join(import.meta.dirname, '..'),
    dir,
    fresh: false,
    clock: DEMO_START,
    say: () => undefined
  });
  try {
    const journey = large();
    const depth = (lane: Step[]): number =>
      1 + Math.max(0, ...lane.flatMap((s) => lanesOf(s).map((l) => depth(l.steps as Step[]))));
    say(`${eachStep(journey).length} steps, ${depth(journey.lane)} levels`);
    await createJourney(running.pool, journey, 'bench');
    const browser = await chromium.launch(config.use?.launchOptions);
    try {
      const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
      await page.goto(`${running.web}/sign-in`);
      await page.getByRole('button', { name: 'Sign in' }).click();
      await page.waitForURL(`${running.web}/`);
      await page.goto(`${running.web}/journeys/large`);
      await page.locator('.card').first().click();
      await page.waitForTimeout(1000);
      say(`${await page.locator('.card').count()} cards drawn`);
      const times: number[] = [];
      for (let i = 0; i < ROUNDS; i++) times.push(await edit(page));
      const still = await frame(page);
      const longest = await scroll(page);
      say(`edits ${times.map((t) => Math.round(t)).join(' ')} ms`);
      const ours = median(times);
      return [
        {
          name: 'edit to painted, 300 steps',
          ours,
          reference: still,
          ratio: ours / still,
          target: '<= 3',
          unit: 'ms, beside a frame'
        },
        {
          name: 'longest task while scrolling',
          ours: longest,
          reference: 50,
          ratio: longest / 50,
          target: '<= 1',
          unit: 'ms'
        }
      ];
    } finally {
      await browser.close();
    }
  } finally {
    await running.stop();
    rmSync(dir, { recursive: true, force: true });
  }
};
