/** The brake, as somebody in a hurry finds it: a journey paused and going on, all sending stopped and going on. */
import { expect, test } from './fixtures.ts';

const JOURNEY = '/journeys/after-the-first-visit?view=watch';

test('a journey is paused with its numbers said before, shows that it is, and goes on', async ({ page, query }) => {
  await page.goto(JOURNEY);
  const bar = page.getByRole('region', { name: 'Brake' });
  // The first page of a server that has just started is there before its buttons work.
  await expect(async () => {
    await bar.getByRole('button', { name: 'Pause …' }).click({ timeout: 1000 });
    await expect(bar).toContainText(/\d+ (person|people) stand still and nothing goes out/, { timeout: 1000 });
  }).toPass();
  await bar.getByRole('button', { name: 'Leave it' }).click();
  await bar.getByRole('button', { name: 'Pause …' }).click();
  await bar.getByRole('button', { name: 'Pause it now' }).click();
  await expect(bar).toContainText(/Paused since .* by Nuala/);
  const state = async (): Promise<string | undefined> =>
    (await query<{ state: string }>(`select state from journeys where key = 'after-the-first-visit'`))[0]?.state;
  expect(await state()).toBe('paused');
  // Seen in Plan too, and on Journeys.
  await page.goto('/journeys/after-the-first-visit');
  await expect(bar).toContainText('Paused');
  await page.goto('/journeys');
  await expect(page.getByRole('row', { name: /After the first visit/ })).toContainText('paused');
  await page.goto(JOURNEY);
  await bar.getByRole('button', { name: 'Let it go on …' }).click();
  await expect(bar).toContainText('what happened meanwhile is heard of in its order');
  await bar.getByRole('button', { name: 'Let it go on', exact: true }).click();
  await expect(bar.getByRole('button', { name: 'Pause …' })).toBeVisible();
  expect(await state()).toBe('live');
});

test('whoever acts on what somebody else has done already is told', async ({ page, query }) => {
  await page.goto(JOURNEY);
  const bar = page.getByRole('region', { name: 'Brake' });
  await bar.getByRole('button', { name: 'Close to new people …' }).click();
  await expect(bar).toContainText('Nobody new gets in.');
  await query(`update journeys set state = 'closing' where key = 'after-the-first-visit'`);
  await bar.getByRole('button', { name: 'Close it' }).click();
  await expect(page.getByRole('alert')).toContainText('Somebody else was first');
  await bar.getByRole('button', { name: 'Open to new people …' }).click();
  await bar.getByRole('button', { name: 'Open it' }).click();
  await expect(bar.getByRole('button', { name: 'Pause …' })).toBeVisible();
});

test('all sending is stopped from Today in two clicks, says so until it goes on, and by whom', async ({
  page,
  query
}) => {
  await page.goto('/');
  await page.getByRole('button', { name: 'Stop all sending …' }).click();
  await expect(page.getByText('No email and no text of any journey goes out')).toBeVisible();
  await page.getByRole('button', { name: 'Stop all sending now' }).click();
  await expect(page.getByText(/since .* by Nuala/)).toBeVisible();
  expect((await query<{ what: string }>('select what from acts order by id desc limit 1'))[0]?.what).toBe(
    'stop-sending'
  );
  await page.getByRole('button', { name: 'Let sending go on' }).click();
  await expect(page.getByRole('button', { name: 'Stop all sending …' })).toBeVisible();
});
