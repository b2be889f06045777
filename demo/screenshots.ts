/**
 * Takes the pictures of `docs/screenshots` from a running demo, with Debian's
 * Chromium at 1280 × 800. Run: npx tsx demo/screenshots.ts http://127.0.0.1:4310
 */
import { chromium, type Page } from '@playwright/test';
import config from '../playwright.config.ts';

const base = process.argv[2] ?? 'http://127.0.0.1:4310';

/** Turns the selected step off, or on again, and waits until that is saved. */
async function turn(page: Page): Promise<void> {
  await page.getByRole('treegrid').focus();
  await page.keyboard.press('o');
  await page.getByText(/^saved /).waitFor();
  await page.waitForTimeout(1000);
}

const VIEWS: [string, string, ((page: Page) => Promise<unknown>)?][] = [
  ['today', '/'],
  ['journeys', '/journeys'],
  ['sheet-plan', '/journeys/after-the-first-visit?step=second-look'],
  ['sheet-watch', '/journeys/after-the-first-visit?view=watch'],
  [
    'sheet-findings',
    '/journeys/open-evening?step=answered',
    (page) => page.getByRole('tab', { name: /Findings/ }).click()
  ],
  ['sheet-every-kind', '/journeys/seats-at-a-member-night?view=watch'],
  ['tasks', '/tasks'],
  ['settings', '/settings'],
  ['review', '/journeys/open-evening/review'],
  ['starters', '/journeys/starters?show=renewal-with-date'],
  [
    'versions',
    '/journeys/membership-runs-out?step=two-weeks',
    async (page) => {
      // Something to compare: taken back once the picture is made.
      await turn(page);
      await page.goto(`${base}/journeys/membership-runs-out/versions`);
      await page.getByTestId('clock').waitFor();
    }
  ],
  ['sheet-dates', '/journeys/before-the-visit?step=two-days'],
  ['people', '/people?sort=last&down=1'],
  ['names', '/people/names?kind=tag&name=keen'],
  [
    'person',
    '/people/7',
    async (page) => {
      await page
        .getByRole('button', { name: /^Why: Took/ })
        .first()
        .click();
      await page.getByText(/hold|held/).waitFor();
    }
  ],
  [
    'import',
    '/people/import',
    (page) =>
      page.locator('input[type=file]').setInputFiles({
        name: 'visitors.csv',
        mimeType: 'text/csv',
        buffer: Buffer.from(
          'Email,Mobile,First name,Favourite planet,Tags\nida@people.example,+44 7700 900801,Ida,Saturn,first-visit\njon@people.example,,Jon,Mars,first-visit\nnot an address,,Lea,,\n,,Nobody,,\nida@people.example,,Twin,,\n'
        )
      })
  ],
  ['postbox', '/stand-ins/postbox/950'],
  [
    'doubles',
    '/people/doubles',
    async (page) => {
      await page.getByRole('button', { name: /^Search/ }).click();
      await page.getByText(/^Searched /).waitFor();
      await page
        .getByRole('link', { name: /twice$/ })
        .first()
        .click();
      await page.getByRole('button', { name: 'Make them one' }).waitFor();
    }
  ],
  [
    'engagement',
    '/people/engagement?kind=ladder&name=warmth',
    async (page) => {
      // What a longer rung would do; nothing of it is saved.
      await page.getByLabel('Rung 1, until').fill('30 days');
      await page.getByLabel('Rung 1, until').press('Tab');
      await page.getByText('would stand elsewhere').waitFor();
    }
  ]
];

const browser = await chromium.launch(config.use?.launchOptions);
const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
// What is not saved is left.
page.on('dialog', (dialog) => void dialog.accept());
await page.goto(`${base}/sign-in`);
await page.getByRole('button', { name: 'Sign in' }).click();
await page.waitForURL(`${base}/`);
for (const [name, path, act] of VIEWS) {
  await page.goto(base + path);
  await page.getByTestId('clock').waitFor();
  await act?.(page);
  await page.waitForTimeout(600);
  await page.screenshot({ path: `docs/screenshots/${name}.png` });
}
await page.goto(`${base}/journeys/membership-runs-out?step=two-weeks`);
await page.getByTestId('clock').waitFor();
await turn(page);
await browser.close();
