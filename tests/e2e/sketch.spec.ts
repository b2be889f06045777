/** A sketch of names and aims, filled in afterwards; a large sheet fitted, read from far away, and gone over by keyboard. */
import { large } from '../../bench/sheet.ts';
import { expect, test } from './fixtures.ts';

test.describe.configure({ timeout: 60_000 });

test('sketched by name and aim, without a finding; then filled in, from unfinished to unfinished', async ({
  page,
  query
}) => {
  await page.goto('/journeys');
  await page.getByRole('heading', { name: 'Journeys' }).waitFor();
  await page.keyboard.press('s');
  await page.getByLabel('Name of the journey').fill('Star camp');
  await expect(page.getByRole('checkbox', { name: 'A sketch' })).toBeChecked();
  await page.getByRole('button', { name: 'Make it' }).click();
  await page.waitForURL(/star-camp/);
  await expect(page.getByText('Sketch: names and aims')).toBeVisible();
  const panel = page.getByRole('complementary', { name: 'Selected' });
  for (const [letters, name, aim] of [
    ['e', 'Invitation', 'Know that there is a camp'],
    ['t', 'Reminder', 'Decide this week']
  ] as const) {
    await page.getByRole('treegrid').focus();
    await page.keyboard.press('End');
    await page.keyboard.type(letters);
    await page.keyboard.press('Enter');
    // Nothing is asked but a name and an aim.
    await expect(panel.getByLabel('Subject')).toBeHidden();
    await page.keyboard.type(name);
    await panel.getByLabel('Aim').fill(aim);
  }
  await expect(page.locator('.card', { hasText: 'Invitation' })).toContainText('Know that there is a camp');
  await expect(page.getByRole('tab', { name: 'Findings 0' })).toBeVisible();
  await page.getByRole('button', { name: 'Fill it in' }).click();
  await expect(page.getByRole('button', { name: /blockers to mend/ })).toBeVisible();
  await page.locator('.card', { hasText: 'Reminder' }).click();
  await page.getByRole('treegrid').focus();
  await page.keyboard.press('u');
  await expect(page.locator('.card.selected')).toContainText('Invitation');
  await page.keyboard.press('Enter');
  await page.keyboard.type('A camp under the stars');
  await panel.getByLabel('Text', { exact: true }).fill('Come and see');
  await page.keyboard.press('Escape');
  await page.keyboard.press('u');
  await expect(page.locator('.card.selected')).toContainText('Reminder');
  await query(`delete from journeys where key = 'star-camp'`);
});

test('300 steps: only what is in view is drawn, keys lead everywhere, and all of it fits', async ({ page, query }) => {
  await query(
    `insert into journeys (key, name, folder, draft, draft_saved_at, created_at, created_by) values ('large', 'Large', '', $1, now(), now(), 'test')`,
    [JSON.stringify(large())]
  );
  await page.goto('/journeys/large');
  await page.getByTestId('clock').waitFor();
  const cards = page.locator('.card');
  // What the server sends is for a window of any size.
  await expect.poll(() => cards.count()).toBeLessThan(80);
  await cards.first().click();
  await page.getByRole('treegrid').focus();
  await page.keyboard.press('End');
  await expect(page.locator('.caret.selected')).toBeInViewport();
  await page.keyboard.press('ArrowLeft');
  await expect(page.locator('.card.selected')).toBeInViewport();
  // What a finding or the read-through leads to is drawn too.
  await page.goto('/journeys/large?step=m1');
  await expect(page.locator('.card.selected')).toBeInViewport();
  await page.getByRole('treegrid').focus();
  // Pressed at its right end, the overview leads there.
  const before = await page.getByRole('treegrid').evaluate((sheet) => sheet.scrollLeft);
  const overview = await page.locator('.overview').boundingBox();
  await page.mouse.click(overview!.x + overview!.width - 4, overview!.y + 6);
  await expect.poll(() => page.getByRole('treegrid').evaluate((s) => s.scrollLeft)).toBeGreaterThan(before + 500);
  await page.keyboard.press('Alt+1');
  await expect(page.getByRole('group', { name: 'Zoom' })).toContainText(/[2-5]\d %/);
  await expect(page.locator('.card.small').first()).toBeVisible();
  await page.keyboard.press('Alt+0');
  await expect(page.getByRole('group', { name: 'Zoom' })).toContainText('100 %');
  await query(`delete from journeys where key = 'large'`);
});
