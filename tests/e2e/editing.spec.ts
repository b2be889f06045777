/** Editing a journey with mouse and forms, in more than one window; a person's page; a mail server in trouble. */
import { postJson } from '../../standins/http.ts';
import { expect, skip, test } from './fixtures.ts';

test.describe.configure({ mode: 'serial', timeout: 45_000 });

const KEY = 'editing';
const saved = /^saved \d\d:\d\d$/;

test('a journey made by mouse: steps from the gap, a branch with lanes and conditions, goal, hours', async ({
  page,
  query
}) => {
  await page.goto('/journeys');
  await page.getByTestId('clock').waitFor();
  await expect(async () => {
    await page.getByRole('button', { name: /^New journey/ }).click();
    await expect(page.getByLabel('Name of the journey')).toBeVisible({ timeout: 1000 });
  }).toPass();
  await page.getByLabel('Name of the journey').fill('Editing');
  await page.getByRole('button', { name: 'Make it' }).click();
  await page.waitForURL(`**/journeys/${KEY}`);

  await page.getByRole('button', { name: 'Email', exact: true }).click();
  await page.getByRole('textbox', { name: 'Subject' }).fill('Hello {{ person.first_name');
  await page.getByLabel('Text', { exact: true }).fill('Words');
  await expect(page.getByText('A personal field cannot be read').first()).toBeVisible();
  await page.getByRole('textbox', { name: 'Subject' }).fill('Hello');
  await expect(page.getByText('A personal field cannot be read')).toHaveCount(0);

  const gaps = page.locator('.caret');
  await gaps.last().click();
  await page.getByRole('button', { name: 'Branch', exact: true }).click();
  await expect(page.getByText('This branch asks the second after the message goes out').first()).toBeVisible();
  await page.getByRole('button', { name: 'Add a lane' }).click();
  await page.getByLabel('What is asked').nth(1).selectOption('field');
  await page.getByRole('combobox', { name: 'Field', exact: true }).fill('town');
  await page.getByLabel('Value').fill('Quillmoor');
  await page.getByLabel('Lane 2').fill('opened Hello');
  await expect(page.getByText('Two lanes are both called “opened Hello”').first()).toBeVisible();
  await page.getByLabel('Lane 2').fill('from Quillmoor');
  await expect(page.getByText('Two lanes are both called')).toHaveCount(0);
  await expect(page.getByRole('rowheader').filter({ hasText: 'from Quillmoor' })).toContainText(
    'whose town is Quillmoor'
  );
  await page.getByRole('button', { name: 'And also ask' }).nth(1).click();
  await page.getByRole('combobox', { name: 'Tag', exact: true }).fill('member');
  await expect(page.getByRole('rowheader').filter({ hasText: 'from Quillmoor' })).toContainText(
    'whose town is Quillmoor and have the tag member'
  );

  await page.getByRole('button', { name: /^Everyone in:/ }).click();
  await page.getByRole('button', { name: 'Say what it is for' }).click();
  await page.getByText('Messages go out at certain hours only').click();
  await expect(page.getByText('A rule of this journey names nothing yet.').first()).toBeVisible();
  await page.getByRole('combobox', { name: 'Tag', exact: true }).fill('renewed');
  await expect(page.getByText('The goal is that they have the tag renewed. They leave then.')).toBeVisible();
  await expect(page.getByTestId('saved')).toHaveText(saved);

  const [row] = await query<{ draft: Record<string, unknown> }>(`select draft from journeys where key = $1`, [KEY]);
  expect(row?.draft).toMatchObject({
    hours: { from: '09:00', to: '20:00', zone: 'person' },
    goal: { when: { tag: 'renewed' } },
    lane: [
      { kind: 'email', subject: 'Hello' },
      {
        kind: 'branch',
        lanes: [
          { when: { did: 'opened', of: 'email' } },
          { label: 'from Quillmoor', when: { all: [{ field: 'town', is: 'Quillmoor' }, { tag: 'member' }] } }
        ]
      }
    ]
  });
});

test('moves, cuts, pastes and deletes; undo brings all of it back', async ({ page }) => {
  await page.goto(`/journeys/${KEY}?step=email`);
  const sheet = page.getByRole('treegrid');
  await expect(sheet).toBeFocused();
  const titles = sheet.locator('.card .title');
  await expect(titles).toHaveText(['Hello', 'Branch']);
  await page.keyboard.press('Alt+ArrowRight');
  await expect(titles).toHaveText(['Branch', 'Hello']);
  await page.keyboard.press('Control+x');
  await expect(titles).toHaveText(['Branch']);
  await page.keyboard.press('Home');
  await page.keyboard.press('ArrowRight');
  await page.keyboard.press('Control+v');
  await expect(titles).toHaveText(['Hello', 'Branch']);
  await page.keyboard.press('Delete');
  await expect(titles).toHaveText(['Branch']);
  for (let i = 0; i < 4; i++) await page.keyboard.press('Control+z');
  await expect(titles).toHaveText(['Hello', 'Branch']);
  await expect(page.getByRole('button', { name: 'Undo' })).toBeDisabled();
  await expect(page.getByTestId('saved')).toHaveText(saved);
});

test('a wait is set by clicking the gap, and taken away', async ({ page }) => {
  await page.goto(`/journeys/${KEY}?step=branch`);
  const sheet = page.getByRole('treegrid');
  await expect(sheet).toBeFocused();
  await page.keyboard.press('ArrowLeft');
  await page.keyboard.type('1 day 12h');
  await page.keyboard.press('Enter');
  const wait = sheet.getByRole('button', { name: 'Wait 1 d 12 h' });
  await expect(wait).toBeVisible();
  await expect(page.getByText('This branch asks the second after')).toHaveCount(0);
  // The gap is selected still, so that one click edits it.
  await wait.click();
  const input = sheet.getByLabel(/^Wait: a length/);
  await expect(input).toHaveValue('1d12h');
  await input.fill('soon');
  await input.press('Enter');
  await expect(sheet.getByRole('alert')).toContainText('type a length such as 2d');
  await input.press('Escape');
  await expect(sheet).toBeFocused();
  await page.keyboard.press('Delete');
  await expect(wait).toHaveCount(0);
  await page.keyboard.press('Control+z');
  await expect(wait).toBeVisible();
  await expect(page.getByTestId('saved')).toHaveText(saved);
});

test('what is typed in a gap is taken when it is left with the mouse, and kept with its reason where it cannot be', async ({
  page
}) => {
  await page.goto(`/journeys/${KEY}?step=branch`);
  const sheet = page.getByRole('treegrid');
  const input = sheet.getByLabel(/^Wait: a length/);
  // The first click selects the gap, the second edits it.
  const edit = async (name: string): Promise<void> => {
    await sheet.getByRole('button', { name }).click();
    await sheet.getByRole('button', { name }).click();
    await expect(input).toBeVisible();
  };
  await edit('Wait 1 d 12 h');
  await input.fill('4d');
  await sheet.locator('.card', { hasText: 'Branch' }).click();
  await edit('Wait 4 d');
  await input.fill('soon');
  await sheet.locator('.card', { hasText: 'Branch' }).click();
  await expect(sheet.getByRole('alert')).toContainText('type a length such as 2d');
  await input.press('Escape');
  await page.keyboard.press('Control+z');
  await expect(sheet.getByRole('button', { name: 'Wait 1 d 12 h' })).toBeVisible();
});

test('another message or act keeps what else a question asks', async ({ page, query }) => {
  const made = {
    format: 'ambulo.journey/1',
    key: 'which-link',
    name: 'Which link',
    entry: { on: [{ happening: 'tag_added', tag: 'x' }] },
    lane: [
      { key: 'one', kind: 'email', subject: 'One', text: 'https://quillmoor.example/one' },
      { key: 'two', kind: 'email', subject: 'Two', text: 'https://quillmoor.example/two' },
      { key: 'w', kind: 'wait', for: 'P1D' },
      {
        key: 'ask',
        kind: 'branch',
        by: 'rules',
        lanes: [{ label: 'yes', when: { did: 'clicked', of: 'two', link: 'https://quillmoor.example/x' }, lane: [] }],
        otherwise: { label: 'no', lane: [] }
      }
    ]
  };
  await query(
    `insert into journeys (key, name, state, draft, draft_saved_at, created_at, created_by)
     values ('which-link', 'Which link', 'draft', '${JSON.stringify(made)}', now(), now(), 'test')`
  );
  const asks = async (): Promise<unknown> =>
    (
      await query<{ when: unknown }>(
        `select draft #> '{lane,3,lanes,0,when}' as when from journeys where key = 'which-link'`
      )
    )[0]?.when;
  await page.goto('/journeys/which-link?step=ask');
  await page.getByLabel('Which message').selectOption('one');
  await expect(page.getByTestId('saved')).toHaveText(saved);
  expect(await asks()).toEqual({ did: 'clicked', of: 'one', link: 'https://quillmoor.example/x' });
  // A link can be asked about of a click alone.
  await page.getByLabel('What they did').selectOption('opened');
  await expect(page.getByTestId('saved')).toHaveText(saved);
  await expect.poll(asks).toEqual({ did: 'opened', of: 'one' });
});

test('a person’s page: put a tag on, take it off, put them in a journey; a refusal is told', async ({
  page,
  query
}) => {
  const [someone] = await query<{ id: number }>(
    `select p.id from people p join consents c on c.person_id = p.id and c.channel = 'email' and c.state = 'given'
     where not exists (select from walks w where w.person_id = p.id) and email not like 'no-mailbox%'
       and not exists (select from person_tags t where t.person_id = p.id) order by p.id limit 1`
  );
  await page.goto(`/people/${someone?.id}`);
  await page.getByRole('combobox', { name: 'Tag to put on' }).fill('asked-by-hand');
  await page.getByRole('button', { name: 'Put on' }).click();
  await expect(page.getByRole('button', { name: 'Take off asked-by-hand' })).toBeVisible();
  await page.getByRole('button', { name: 'Take off asked-by-hand' }).click();
  await expect(page.getByRole('button', { name: 'Take off asked-by-hand' })).toHaveCount(0);
  await page.getByLabel('Journey to put them in').selectOption('membership-runs-out');
  await page.getByRole('button', { name: 'Put in' }).click();
  await expect(page.getByRole('listitem').filter({ hasText: 'Not let in' })).toContainText('because of: where');
});

test('a mail server that refuses for a while: seen on the person’s page, tried again, arrived', async ({
  page,
  query
}) => {
  const trouble = (code: number | null) => postJson(`${process.env['AMBULO_POSTBOX']}/api/trouble`, { code });
  const [someone] = await query<{ id: number }>(
    `select p.id from people p join consents c on c.person_id = p.id and c.channel = 'email' and c.state = 'given'
     where not exists (select from walks w where w.person_id = p.id) and email not like 'no-mailbox%'
       and not exists (select from person_tags t where t.person_id = p.id and t.tag = 'staff') order by p.id desc limit 1`
  );
  await trouble(451);
  try {
    await page.goto(`/people/${someone?.id}`);
    await page.getByLabel('Journey to put them in').selectOption('after-the-first-visit');
    await page.getByRole('button', { name: 'Put in' }).click();
    const entered = page.getByRole('listitem').filter({ hasText: 'Entered by hand' });
    await expect(entered).toBeVisible();
    // Held until the sending hours open, if they are not.
    if (await page.getByRole('listitem').filter({ hasText: 'Held until' }).count()) await skip(page, '1 day', false);
    await expect(page.getByText(/tried \d+ times?, again .*451/).first()).toBeVisible();
  } finally {
    await trouble(null);
  }
  await page.getByRole('button', { name: 'Try now' }).first().click();
  await expect(page.getByText(/tried \d+ times?, again/)).toHaveCount(0);
  const read = page.getByRole('button', { name: 'Read it' }).first();
  await expect(read).toBeVisible();
  const mailsTo = () =>
    query<{ n: number; copies: number }>(
      `select count(*)::integer as n, coalesce(sum(jsonb_array_length(copies)), 0)::integer as copies from messages where person_id = $1 and state = 'sent'`,
      [someone?.id]
    );
  const [before] = await mailsTo();
  await read.click();
  await page.getByRole('button', { name: 'Send it once more' }).click();
  await expect(page.getByRole('listitem').filter({ hasText: /^.*Sent again/ })).toHaveCount(1);
  // The same message, once more: not another one.
  await expect.poll(mailsTo).toEqual([{ n: before?.n, copies: 1 }]);
});
