/** The route sheet by mouse: dragging along the ruler, folding, the panel, Watch; the same acts by keyboard. */
import type { Locator, Page } from '@playwright/test';
import AxeBuilder from '@axe-core/playwright';
import { expect, test } from './fixtures.ts';

test.describe.configure({ mode: 'serial', timeout: 45_000 });

const KEY = 'dragging';
const DRAFT = {
  format: 'ambulo.journey/1',
  key: KEY,
  name: 'Dragging',
  entry: { on: [{ happening: 'tag_added', tag: 'first-visit' }] },
  lane: [
    { key: 'hello', kind: 'email', subject: 'Hello', text: 'Words' },
    { key: 'w', kind: 'wait', for: 'P2D' },
    {
      key: 'ask',
      kind: 'branch',
      by: 'rules',
      lanes: [
        {
          label: 'opened Hello',
          when: { did: 'opened', of: 'hello' },
          lane: [{ key: 'keen', kind: 'tag', add: ['keen'] }]
        }
      ],
      otherwise: { label: 'did not', lane: [{ key: 'nudge', kind: 'sms', text: 'Clear skies' }] }
    },
    { key: 'v', kind: 'wait', for: 'P3D' },
    { key: 'again', kind: 'email', subject: 'Again', text: 'Words' }
  ]
};

const card = (page: Page, key: string): Locator => page.locator(`.card[data-key="${key}"]`);
const moments = (page: Page): Locator => page.locator('.head .moment');

async function drag(page: Page, what: Locator, dx: number, steps = 8): Promise<void> {
  const box = (await what.boundingBox())!;
  const x = box.x + box.width / 2;
  const y = box.y + box.height / 2;
  await page.mouse.move(x, y);
  await page.mouse.down();
  await page.mouse.move(x + dx, y, { steps });
}

test('a card dragged along the ruler sets the wait before it, and says so while it is dragged', async ({
  page,
  query
}) => {
  await query(
    `insert into journeys (key, name, folder, draft, draft_saved_at, created_at, created_by)
     values ($1, 'Dragging', '', $2, now(), now(), 'test')`,
    [KEY, JSON.stringify(DRAFT)]
  );
  await page.goto(`/journeys/${KEY}`);
  await page.getByTestId('clock').waitFor();
  await expect(moments(page)).toHaveText(['Entry', 'Day 2', 'Day 5']);

  const again = card(page, 'again');
  await drag(page, again, 200);
  await expect(page.locator('.to')).toHaveText(/^Day \d+: wait \d+ d$/);
  const promised = await page.locator('.to').textContent();
  await page.mouse.up();
  const day = /^Day (\d+): wait (\d+) d$/.exec(promised ?? '');
  await expect(moments(page)).toHaveText(['Entry', 'Day 2', `Day ${day![1]}`]);
  await expect(page.locator('.caret', { hasText: `${day![2]} d` })).toBeVisible();
  await expect(again).toHaveClass(/selected/);
  await expect(page.getByTestId('saved')).toHaveText(/^saved/);

  await page.keyboard.press('Control+z');
  await expect(moments(page)).toHaveText(['Entry', 'Day 2', 'Day 5']);
});

test('dragged back to the first moment it waits for nothing; a small tremble is a click', async ({ page }) => {
  await page.goto(`/journeys/${KEY}`);
  await page.getByTestId('clock').waitFor();
  await drag(page, card(page, 'ask'), -600);
  await expect(page.locator('.to')).toHaveText('Entry: no wait');
  await page.mouse.up();
  await expect(moments(page)).toHaveText(['Entry', 'Day 3']);
  await page.keyboard.press('Control+z');
  await expect(moments(page)).toHaveText(['Entry', 'Day 2', 'Day 5']);

  await drag(page, card(page, 'nudge'), 3, 2);
  await page.mouse.up();
  await expect(card(page, 'nudge')).toHaveClass(/selected/);
  await expect(page.getByLabel('Text', { exact: true })).toHaveValue('Clear skies');
  await expect(moments(page)).toHaveText(['Entry', 'Day 2', 'Day 5']);
});

test('lanes fold by mouse and by keyboard, and what is folded is still there', async ({ page, query }) => {
  await page.goto(`/journeys/${KEY}`);
  await page.getByTestId('clock').waitFor();
  await expect(page.getByRole('rowheader')).toHaveCount(3);
  await page.getByRole('button', { name: 'Fold its lanes' }).click();
  await expect(page.getByRole('rowheader')).toHaveCount(1);
  await expect(card(page, 'keen')).toHaveCount(0);
  await page.getByRole('button', { name: 'Show its lanes' }).click();
  await expect(card(page, 'keen')).toBeVisible();
  await card(page, 'ask').click();
  await page.getByRole('treegrid').focus();
  await page.keyboard.press('[');
  await expect(page.getByRole('rowheader')).toHaveCount(1);
  await page.keyboard.press(']');
  await expect(page.getByRole('rowheader')).toHaveCount(3);
  // As a screen reader has it: rows with their level, and what is selected.
  const lane = page.getByRole('row', { name: /keen/ }).last();
  await expect(lane).toHaveAttribute('aria-level', '2');
  await expect(lane).toHaveAttribute('aria-posinset', '1');
  const sheet = page.getByRole('treegrid');
  await expect(page.locator(`[id="${await sheet.getAttribute('aria-activedescendant')}"]`)).toHaveAttribute(
    'aria-selected',
    'true'
  );
  // Alone on its lane, and back.
  await card(page, 'keen').click();
  await page.keyboard.press('Alt+3');
  await expect(page.getByRole('button', { name: 'One lane: show all' })).toBeVisible();
  await page.keyboard.press('Alt+3');
  await expect(page.getByRole('button', { name: 'One lane: show all' })).toBeHidden();
  await expect(page.getByRole('rowheader')).toHaveCount(3);
  const [row] = await query<{ draft: typeof DRAFT }>('select draft from journeys where key = $1', [KEY]);
  expect(row!.draft.lane.map((s) => s.key)).toEqual(['hello', 'w', 'ask', 'v', 'again']);
});

test('every key of the help does what it says', async ({ page }) => {
  await page.goto(`/journeys/${KEY}`);
  await page.getByTestId('clock').waitFor();
  const sheet = page.getByRole('treegrid');
  await card(page, 'again').click();
  await sheet.focus();
  await page.keyboard.press('Control+d');
  await expect(page.locator('.card', { hasText: 'Again' })).toHaveCount(2);
  await page.keyboard.press('Delete');
  await expect(page.locator('.card', { hasText: 'Again' })).toHaveCount(1);
  await card(page, 'again').click();
  await sheet.focus();
  await page.keyboard.press('Control+x');
  await expect(page.locator('.card', { hasText: 'Again' })).toHaveCount(0);
  await page.keyboard.press('Home');
  await page.keyboard.press('ArrowRight');
  await page.keyboard.press('Control+v');
  await expect(page.locator('.card').first()).toContainText('Again');
  for (let i = 0; i < 4; i++) await page.keyboard.press('Control+z');
  await expect(page.locator('.card', { hasText: 'Again' })).toHaveCount(1);
  await page.keyboard.press('?');
  await expect(page.getByRole('dialog')).toContainText('Alt');
  await page.keyboard.press('Escape');
  await expect(page.getByRole('dialog')).toHaveCount(0);
});

test('what a copy carries is looked at, by keyboard alone, and is gone once it is right or changed', async ({
  page
}) => {
  await page.goto(`/journeys/${KEY}`);
  await page.getByTestId('clock').waitFor();
  await card(page, 'ask').click();
  await page.getByRole('treegrid').focus();
  await page.keyboard.press('Control+d');
  const tab = page.getByRole('tab', { name: /^Copied, to look at/ });
  await expect(tab).toHaveText('Copied, to look at 3');
  await expect(tab).toHaveAttribute('aria-selected', 'true');
  const rows = page.getByRole('tabpanel', { name: 'Copied' }).locator('.row');
  await expect(rows).toHaveText([
    /^Branch\s*takes those who\s*opened Hello, not part of the copy/,
    /^keen\s*puts on\s*keen/,
    /^Text\s*text\s*Clear skies/
  ]);

  await rows
    .first()
    .getByRole('button', { name: /: right$/ })
    .focus();
  await page.keyboard.press('y');
  await expect(rows).toHaveCount(2);
  // The next one has the focus; to change it goes to its first field.
  await page.keyboard.press('n');
  const field = page.getByLabel('Put on');
  await expect(field).toBeFocused();
  await field.fill('keener');
  await field.press('Enter');
  await expect(rows).toHaveText([/text.*Clear skies/]);
  await page.getByRole('button', { name: 'All are right' }).click();
  await expect(tab).toHaveCount(0);
  await expect(page.getByRole('treegrid')).toBeFocused();
});

test('a finding offers what mends it, from the list and beside the step; undo takes it back', async ({
  page,
  query
}) => {
  const soon = { ...DRAFT, key: 'soon', lane: DRAFT.lane.filter((s) => s.key !== 'w') };
  await query(
    `insert into journeys (key, name, folder, draft, draft_saved_at, created_at, created_by)
     values ('soon', 'Too soon', '', $1, now(), now(), 'test')`,
    [JSON.stringify(soon)]
  );
  await page.goto('/journeys/soon');
  await page.getByTestId('clock').waitFor();
  await page.getByRole('tab', { name: 'Findings 4' }).click();
  const findings = page.getByRole('tabpanel', { name: 'Findings' });
  await findings.getByRole('button', { name: 'Wait 2 days first' }).click();
  await expect(moments(page)).toHaveText(['Entry', 'Day 2', 'Day 5']);
  await expect(card(page, 'ask')).toHaveClass(/selected/);
  await expect(page.getByRole('tab', { name: 'Findings 3' })).toBeVisible();

  await card(page, 'nudge').click();
  const beside = page.getByLabel('Findings', { exact: true });
  await page
    .getByRole('complementary', { name: 'Selected' })
    .getByRole('button', { name: /^Send this journey from 09:00/ })
    .click();
  await expect(page.getByRole('tab', { name: 'Findings 2' })).toBeVisible();
  await expect(beside.getByText('This text may go out at any hour')).toHaveCount(0);
  await page.getByRole('treegrid').focus();
  await page.keyboard.press('Control+z');
  await page.keyboard.press('Control+z');
  await expect(page.getByRole('tab', { name: 'Findings 4' })).toBeVisible();
  await expect(moments(page)).toHaveText(['Entry', 'Day 3']);
});

test('a block copied in one journey is pasted in another, where what it asks about is not', async ({ page, query }) => {
  await query(
    `insert into journeys (key, name, folder, draft, draft_saved_at, created_at, created_by)
     values ('elsewhere', 'Elsewhere', '', $1, now(), now(), 'test')`,
    [JSON.stringify({ ...DRAFT, key: 'elsewhere', lane: [] })]
  );
  await page.goto(`/journeys/${KEY}`);
  await page.getByTestId('clock').waitFor();
  await card(page, 'ask').click();
  await page.getByRole('treegrid').focus();
  await page.keyboard.press('Control+c');
  await page.goto('/journeys/elsewhere');
  await page.getByTestId('clock').waitFor();
  await page.getByRole('treegrid').focus();
  await page.keyboard.press('Control+v');
  await expect(page.locator('.card')).toHaveCount(3);
  await expect(page.getByRole('tabpanel', { name: 'Copied' })).toContainText('not part of the copy');
  await page.getByRole('tab', { name: /^Findings/ }).click();
  await expect(page.getByRole('tabpanel', { name: 'Findings' })).toContainText(
    'asks about “hello”, which is not in this journey'
  );
  await page.getByRole('tab', { name: /^Copied/ }).click();
  const { violations } = await new AxeBuilder({ page }).analyze();
  expect(violations.filter((v) => v.impact === 'serious' || v.impact === 'critical')).toEqual([]);
});

test('in Watch nothing can be dragged, put in or deleted', async ({ page, query }) => {
  await page.goto('/journeys/after-the-first-visit?view=watch');
  await page.getByTestId('clock').waitFor();
  const first = page.locator('.card').first();
  await expect(first).toBeVisible();
  const [before] = await query<{ n: string }>(
    `select draft::text as n from journeys where key = 'after-the-first-visit'`
  );
  const cards = await page.locator('.card').count();
  await drag(page, first, 300);
  await expect(page.locator('.to')).toHaveCount(0);
  await page.mouse.up();
  await page.getByRole('treegrid').focus();
  for (const key of ['Delete', 'e', 'Control+x', 'Control+d']) await page.keyboard.press(key);
  await expect(page.locator('.card')).toHaveCount(cards);
  expect(await query(`select draft::text as n from journeys where key = 'after-the-first-visit'`)).toEqual([before]);
  await query('delete from journeys where key = $1', [KEY]);
});

test('a step is turned off with a key: it is drawn so, told so, found so, and on again by the finding', async ({
  page,
  query
}) => {
  await query(
    `insert into journeys (key, name, folder, draft, draft_saved_at, created_at, created_by)
     values ('offs', 'Offs', '', $1, now(), now(), 'test')`,
    [JSON.stringify({ ...DRAFT, key: 'offs' })]
  );
  await page.goto('/journeys/offs');
  await page.getByTestId('clock').waitFor();
  const nudge = card(page, 'nudge');
  await nudge.click();
  await page.keyboard.press('o');
  await expect(nudge).toHaveClass(/\boff\b/);
  await expect(nudge).toContainText('off');
  await expect(page.getByLabel('Off: everyone passes it over (o)')).toBeChecked();
  await expect(page.getByText(/^\(Off, passed over: /)).toBeVisible();
  await expect
    .poll(async () => JSON.stringify((await query('select draft from journeys where key = $1', ['offs']))[0]))
    .toContain('"off":true');
  await page.getByRole('button', { name: 'Turn it on again' }).first().click();
  await expect(nudge).not.toHaveClass(/\boff\b/);

  await card(page, 'ask').click();
  await page.keyboard.press('o');
  await expect(
    page.getByText('A step that opens lanes, waits, loops or ends the journey cannot be off.')
  ).toBeVisible();
  await query(`delete from journeys where key = 'offs'`);
});
