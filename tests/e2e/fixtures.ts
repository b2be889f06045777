/** A signed-in page that asks no other host for anything and reports no error; every test asserts that. */
import { test as base, expect, type Page } from '@playwright/test';
import pg from 'pg';

// Each worker of the tests has a world of its own.
const worlds = JSON.parse(process.env['AMBULO_WORLDS'] ?? '[]') as Record<string, string>[];
Object.assign(process.env, worlds[Number(process.env['TEST_PARALLEL_INDEX'] ?? 0)]);

export const WEB = process.env['AMBULO_URL'] ?? '';

interface Fixtures {
  signedIn: boolean;
  page: Page;
  query: <T extends pg.QueryResultRow>(sql: string, values?: unknown[]) => Promise<T[]>;
}

export const test = base.extend<Fixtures>({
  signedIn: [true, { option: true }],
  baseURL: async ({}, use) => use(process.env['AMBULO_URL'] ?? ''),
  storageState: async ({ signedIn }, use) => use(signedIn ? process.env['AMBULO_STATE'] : undefined),
  page: async ({ page }, use) => {
    const wrong: string[] = [];
    page.on('request', (request) => {
      const { hostname, protocol } = new URL(request.url());
      if (protocol.startsWith('http') && hostname !== '127.0.0.1') wrong.push(`asked ${request.url()}`);
    });
    page.on('pageerror', (error) => wrong.push(`error in the page: ${error.message}`));
    // A mail's frame runs no scripts: that the test driver's own are blocked there is as it should be.
    page.on('console', (message) => {
      if (
        message.type() === 'error' &&
        !/Failed to load resource|Blocked script execution in 'about:srcdoc'/.test(message.text())
      )
        wrong.push(`console: ${message.text()}`);
    });
    // A page from the server is drawn before it answers; what is done in between may be lost (where a server is cold,
    // that is seconds).
    const goto = page.goto.bind(page);
    page.goto = async (url, options) => {
      const response = await goto(url, options);
      await page.waitForFunction(
        () =>
          'awake' in document.documentElement.dataset ||
          ![...document.scripts].some((script) => script.textContent.includes('__sveltekit'))
      );
      return response;
    };
    await use(page);
    expect(wrong).toEqual([]);
  },
  query: async ({}, use) => {
    const client = new pg.Client({ connectionString: process.env['AMBULO_DATABASE'] });
    await client.connect();
    await use(async (sql, values) => (await client.query(sql, values)).rows);
    await client.end();
  }
});

export { expect };

/** Skips the practice clock through the menu, and waits until it is there. */
export async function skip(page: Page, choice: string, passersBy: boolean): Promise<void> {
  await page.getByRole('button', { name: 'Skip ahead' }).click();
  const box = page.getByRole('checkbox', { name: 'Passers-by react meanwhile' });
  if ((await box.isChecked()) !== passersBy) await page.getByText('Passers-by react meanwhile').click();
  const before = await page.getByTestId('clock').textContent();
  await page.getByRole('button', { name: choice, exact: true }).click();
  await expect(page.getByTestId('clock')).not.toHaveText(before ?? '', { timeout: 60_000 });
  await expect(page.getByRole('button', { name: 'Skip ahead' })).toBeVisible({ timeout: 60_000 });
}
