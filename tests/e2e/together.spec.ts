/** Two windows on one draft, blocks carried between journeys as text, and a lock. */
import type { Page } from '@playwright/test';
import { expect, test } from './fixtures.ts';

test.describe.configure({ timeout: 60_000 });

const step = (key: string, name: string): object => ({
  key,
  kind: 'email',
  name,
  subject: name,
  text: `Hello from ${name}`
});
type Query = <T extends object>(sql: string, values?: unknown[]) => Promise<T[]>;

async function make(query: Query, key: string, lane: object[]): Promise<void> {
  await query('delete from journeys where key = $1', [key]);
  await query(
    `insert into journeys (key, name, folder, draft, draft_saved_at, created_at, created_by)
     values ($1, $1, '', $2, now(), now(), 'test')`,
    [key, JSON.stringify({ format: 'ambulo.journey/1', key, name: key, lane })]
  );
}
async function open(page: Page, key: string): Promise<void> {
  await page.goto(`/journeys/${key}`);
  await page.getByTestId('clock').waitFor();
}
const subjects = async (query: Query, key: string): Promise<string[]> =>
  (
    await query<{ lane: { subject?: string }[] }>(`select draft -> 'lane' as lane from journeys where key = $1`, [key])
  )[0]!.lane.flatMap((s) => s.subject ?? []);

test('two people at one draft: each sees the other and where, both keep what they did, and it is told in words', async ({
  page,
  query
}) => {
  await make(query, 'together', [step('one', 'One'), step('two', 'Two')]);
  await open(page, 'together');
  const other = await page.context().newPage();
  await open(other, 'together');
  await other.locator('.card[data-key="two"]').click();
  await expect(page.getByText(/Also here: .* at Two/)).toBeVisible({ timeout: 15_000 });
  await page.locator('.card[data-key="one"]').click();
  await page.getByRole('textbox', { name: 'Subject' }).fill('Changed here');
  await other.getByLabel('Subject').fill('Changed there');
  await expect.poll(() => subjects(query, 'together')).toEqual(['Changed here', 'Changed there']);
  await expect(page.locator('.card[data-key="two"]')).toContainText('Two');
  const notice = page.getByRole('region', { name: 'Changed by somebody else' });
  // Both change one thing: what is typed here stays here, and says so.
  await other.getByLabel('Subject').fill('Again there');
  await expect.poll(() => subjects(query, 'together')).toEqual(['Changed here', 'Again there']);
  await expect(page.locator('.card[data-key="two"]')).toBeVisible();
  await expect
    .poll(
      async () =>
        page.evaluate(
          () => document.querySelector('section[aria-label="Changed by somebody else"]')?.textContent ?? ''
        ),
      {
        timeout: 15_000
      }
    )
    .toContain('Two');
  await notice.getByRole('button', { name: 'I have read it' }).click();
  await expect(notice).toBeHidden();
  await other.close();
});

test('several steps: selected, copied as text, pasted into another journey, moved to a lane, dragged back', async ({
  page,
  query
}) => {
  await make(query, 'from', [
    step('one', 'One'),
    { key: 'w', kind: 'wait', for: 'P2D' },
    step('two', 'Two'),
    step('three', 'Three')
  ]);
  await make(query, 'to', [
    step('zero', 'Zero'),
    {
      key: 'b',
      kind: 'branch',
      by: 'rules',
      lanes: [{ label: 'keen', when: { tag: 'keen' }, lane: [] }],
      otherwise: { label: 'others', lane: [] }
    }
  ]);
  await open(page, 'from');
  await page.locator('.card[data-key="one"]').click();
  await page.keyboard.press('Shift+ArrowRight');
  await expect(page.locator('.card.selected')).toHaveCount(2);
  await page.keyboard.press('Control+c');
  await expect(page.getByText('Copied 3 steps.')).toBeVisible();
  await open(page, 'to');
  await page.locator('.card[data-key="zero"]').click();
  await page.keyboard.press('Control+v');
  await expect.poll(() => subjects(query, 'to')).toEqual(['Zero', 'One', 'Two']);
  await expect(page.getByText(/values are as in the original/)).toBeVisible();
  await page.keyboard.press('Escape');
  // Down to the lane below by keyboard, and back by mouse.
  await page.locator('.card[data-key="two"]').click();
  await page.getByRole('treegrid').focus();
  await page.keyboard.press('Alt+ArrowDown');
  await expect.poll(() => subjects(query, 'to')).toEqual(['Zero', 'One']);
  const lane = async (): Promise<string[]> =>
    (
      await query<{ keys: string[] }>(
        `select array(select s ->> 'key' from jsonb_path_query(draft, '$.lane[*].lanes[*].lane[*]') as s) as keys from journeys where key = 'to'`
      )
    )[0]!.keys;
  expect(await lane()).toEqual(['two']);
  const card = (await page.locator('.card[data-key="two"]').boundingBox())!;
  const first = (await page.locator('.card[data-key="zero"]').boundingBox())!;
  await page.mouse.move(card.x + 60, card.y + 15);
  await page.mouse.down();
  await page.mouse.move(first.x + 10, first.y + 15, { steps: 6 });
  await expect(page.getByText('to Everyone')).toBeVisible();
  await page.mouse.up();
  await expect.poll(async () => (await subjects(query, 'to')).length).toBe(3);
  expect(await lane()).toEqual([]);
});

test('a locked journey is looked at and not changed, and says who locked it and why', async ({ page, query }) => {
  await make(query, 'locked', [step('one', 'One')]);
  await open(page, 'locked');
  await page.getByRole('button', { name: 'More' }).click();
  await page.getByRole('menuitem', { name: 'Lock it' }).click();
  await page.getByLabel('Why nobody should change it now').fill('at the printer’s');
  await page.getByRole('button', { name: 'Lock it' }).click();
  await expect(page.getByText(/has locked this journey: at the printer’s/)).toBeVisible();
  await page.locator('.card[data-key="one"]').click();
  await page.keyboard.press('Delete');
  await expect(page.locator('.card[data-key="one"]')).toBeVisible();
  // All that it says can be read, and nothing of it changed.
  await expect(page.getByRole('textbox', { name: 'Subject' })).toHaveValue('One');
  await expect(page.getByRole('textbox', { name: 'Subject' })).toBeDisabled();
  // Nor by another way in.
  const answer = await page.request.put('/api/journeys/locked/draft', {
    data: { revision: 1, document: { format: 'ambulo.journey/1', key: 'locked', lane: [] } },
    headers: { origin: new URL(page.url()).origin }
  });
  expect(answer.status()).toBe(423);
  await page.getByRole('button', { name: 'Unlock it' }).click();
  await expect(page.getByText(/has locked this journey/)).toBeHidden();
});
