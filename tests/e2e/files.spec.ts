/** Starters, journey files in and out, versions side by side, findings accepted, and what the review says. */
import { readFileSync } from 'node:fs';
import { expect, test } from './fixtures.ts';

test.describe.configure({ timeout: 60_000 });

const FILE = {
  format: 'ambulo.journey/1',
  key: 'brought',
  name: 'Brought along',
  entry: { on: [{ happening: 'segment_joined', segment: 'Far away' }], where: { field: 'telescope', set: true } },
  goal: { when: { tag: 'brand-new-tag' } },
  lane: [{ key: 'hello', kind: 'email', subject: 'Hello', text: 'Hello to you' }]
};
const asFile = (value: unknown): { name: string; mimeType: string; buffer: Buffer } => ({
  name: 'brought.journey.json',
  mimeType: 'application/json',
  buffer: Buffer.from(typeof value === 'string' ? value : JSON.stringify(value))
});

test('a starter is looked at, asks what it needs, and becomes a draft without a finding of its own', async ({
  page,
  query
}) => {
  await page.goto('/journeys');
  await page.getByRole('link', { name: 'From a starter' }).click();
  await expect(page.getByRole('navigation', { name: 'Starters' }).getByRole('link')).toHaveCount(16);
  await page.getByRole('link', { name: /^Renewal before a date/ }).click();
  await expect(page.getByRole('group', { name: 'Its sheet' }).getByText('30 days before, 10:00')).toBeVisible();
  await page.getByLabel('Name of your journey').fill('Renewals');
  await page.getByRole('combobox', { name: 'Where do they renew?' }).fill('https://quillmoor.example/again');
  await page.getByRole('button', { name: 'Make a draft of it' }).click();
  await page.waitForURL(/\/journeys\/renewals$/);
  await expect(page.locator('.moment strong').first()).toHaveText('30 days before, 10:00');
  const [{ draft } = { draft: '' }] = await query<{ draft: string }>(
    `select draft::text as draft from journeys where key = 'renewals'`
  );
  expect(draft).toContain('https://quillmoor.example/again');
  await query(`delete from journeys where key = 'renewals'`);
});

test('a journey file is looked at before it is brought in; what is no file says what is wrong', async ({
  page,
  query
}) => {
  await page.goto('/journeys');
  await page.getByRole('button', { name: 'Bring a file' }).click();
  const box = page.getByRole('region', { name: 'Bring a journey file' });
  const choose = box.locator('input[type=file]');
  for (const [content, said] of [
    ['no json', /expected/],
    [{ ...FILE, format: 'ambulo.journey/7' }, /format/],
    [{ ...FILE, lane: [{ key: 'x', kind: 'fax' }] }, /lane\[0\]\.kind/],
    [
      { ...FILE, lane: Array.from({ length: 1200 }, (_, i) => ({ ...FILE.lane[0], key: `k${i}` })) },
      /1000|1,000|steps/
    ],
    [`{"format":"ambulo.journey/1","x":"${'x'.repeat(3_000_000)}"}`, /million/]
  ] as const) {
    await choose.setInputFiles(asFile(content));
    await expect(box.getByRole('alert')).toContainText(said);
    await expect(box.getByRole('button', { name: 'Bring it in' })).toBeDisabled();
  }
  await choose.setInputFiles(asFile(FILE));
  await expect(box.getByText('Brought along, 1 step.')).toBeVisible();
  await expect(box.getByText('Not here yet, and made when they are first used: tag brand-new-tag.')).toBeVisible();
  await expect(box.getByText('Not here, and needed before it goes live: the segment Far away.')).toBeVisible();
  await expect(box.getByText('Make the fields that are not here: telescope')).toBeVisible();
  await box.getByRole('button', { name: 'Bring it in' }).click();
  await page.waitForURL(/\/journeys\/brought/);
  expect(await query(`select from field_names where name = 'telescope'`)).toHaveLength(1);

  // Out again: the same journey, and the sheet and its text for a document.
  const saved = async (item: string): Promise<string> => {
    await page.getByRole('button', { name: 'More' }).click();
    const [download] = await Promise.all([
      page.waitForEvent('download'),
      page.getByRole('menuitem', { name: item }).click()
    ]);
    return readFileSync(await download.path(), 'latin1');
  };
  expect(JSON.parse(await saved('Save as a journey file'))).toEqual(FILE);
  expect(await saved('Save as a picture, SVG')).toContain('Brought along');
  expect((await saved('Save as a picture, PNG')).slice(1, 4)).toBe('PNG');
  expect(await saved('Save as text, Markdown')).toMatch(/^# Brought along/);
  await page.getByRole('button', { name: 'More' }).click();
  await page.getByRole('menuitem', { name: 'Make a copy of it' }).click();
  await page.waitForURL(/\/journeys\/copy-of-brought-along/);
  await page.getByRole('button', { name: 'More' }).click();
  await page.getByRole('menuitem', { name: 'Put it into a folder' }).click();
  await page.getByLabel('Folder (empty: none)').fill('Visitors');
  await page.getByRole('button', { name: 'Put it there' }).click();
  await expect(page.getByRole('link', { name: 'Visitors' })).toBeVisible();
  // What the list is filtered by stands in its address.
  await page.goto('/journeys');
  await page.getByLabel('Filter journeys by name or folder').fill('visitors');
  await expect(page).toHaveURL(/\?q=visitors/);
  await page.reload();
  await expect(page.locator('tbody tr')).toHaveCount(1);
  await query(`delete from journeys where key in ('brought', 'copy-of-brought-along')`);
});

test('two versions side by side, marked by sign and word, and one made the draft again', async ({ page, query }) => {
  const live = (subject: string, more: object[] = []): object => ({
    ...FILE,
    key: 'versions',
    name: 'Versions',
    entry: { on: [{ happening: 'tag_added', tag: 'keen' }] },
    lane: [{ ...FILE.lane[0], subject }, ...more]
  });
  const [{ id } = { id: 0 }] = await query<{ id: number }>(
    `insert into journeys (key, name, folder, state, draft, draft_saved_at, live_version, created_at, created_by)
     values ('versions', 'Versions', '', 'live', $1, now(), 1, now(), 'test') returning id`,
    [JSON.stringify(live('Now', [{ key: 'new', kind: 'tag', name: 'Another', add: ['x'] }]))]
  );
  await query(
    `insert into versions (journey_id, number, document, live_from, set_live_by) values ($1, 1, $2, now(), 'test')`,
    [id, JSON.stringify(live('Before'))]
  );
  await page.goto('/journeys/versions/versions');
  await expect(page.getByText('2 changes from version 1 to the draft')).toBeVisible();
  await expect(page.getByText('Added: tag “Another”.')).toBeVisible();
  await expect(page.getByRole('region', { name: 'The draft' }).getByText('+ added')).toBeVisible();
  await expect(page.getByRole('region', { name: 'Version 1' }).getByText('~ changed')).toBeVisible();
  // In words they stand beside each other, what differs marked.
  const words = page.getByRole('region', { name: 'Both in words' });
  await expect(words.getByRole('row').filter({ has: page.getByTitle('new') })).toContainText(/Another|tag x/);
  await page.getByRole('button', { name: 'Go back to version 1' }).click();
  await page.waitForURL(/\/journeys\/versions$/);
  const [{ subject } = { subject: '' }] = await query<{ subject: string }>(
    `select draft #>> '{lane,0,subject}' as subject from journeys where key = 'versions'`
  );
  expect(subject).toBe('Before');
  await query(`delete from versions where journey_id = $1`, [id]).catch(() => undefined);
});

test('a finding is accepted with a reason, which the review shows with who enters and what the first week sends', async ({
  page,
  query
}) => {
  await query(
    `insert into journeys (key, name, folder, draft, draft_saved_at, created_at, created_by) values ('reviewed', 'Reviewed', '', $1, now(), now(), 'test')`,
    [
      JSON.stringify({
        format: 'ambulo.journey/1',
        key: 'reviewed',
        name: 'Reviewed',
        entry: { on: [{ happening: 'tag_added', tag: 'member' }], existing: true },
        goal: { when: { tag: 'done' } },
        hours: { from: '09:00', to: '20:00' },
        lane: [
          { key: 'a', kind: 'email', subject: 'Will you come?', text: 'Answer this mail. https://quillmoor.example/' },
          { key: 'w', kind: 'wait', for: 'P2D' },
          { key: 'go', kind: 'tag', add: ['first-visit'] }
        ]
      })
    ]
  );
  await page.goto('/journeys/reviewed');
  await page.getByTestId('clock').waitFor();
  await page.getByRole('tab', { name: /^Findings/ }).click();
  const found = page.locator('.finding', { hasText: 'asks for an answer' });
  await found.getByRole('button', { name: 'Accept it' }).click();
  await found.getByLabel('Why this is right as it is').fill('we read them all');
  await page.keyboard.press('Enter');
  await expect(page.getByText(/Accepted by .*: we read them all/)).toBeVisible();
  await page.getByRole('button', { name: 'Review and set live' }).click();
  await page.waitForURL(/review$/);
  await expect(page.getByText(/Accepted by .*: we read them all/)).toBeVisible();
  const [{ members, can } = { members: 0, can: 0 }] = await query<{ members: number; can: number }>(
    `select count(*)::int as members, (count(*) filter (where exists (select from consents c where c.person_id = t.person_id and c.channel = 'email' and c.state = 'given')
       and p.email is not null and not exists (select from suppressions s where lower(s.address) = lower(p.email))))::int as can
     from person_tags t join people p on p.id = t.person_id where t.tag = 'member'`
  );
  const row = (name: RegExp) => page.getByRole('row', { name });
  await expect(row(/^have what it starts from/)).toContainText(String(members));
  await expect(row(/^get the first email/)).toContainText(String(can));
  // The first day sends just those.
  await expect(row(/^0 /)).toContainText(String(can));
  await expect(page.getByText(/Lets people into/).first()).toBeVisible();
  // Not now, but at a time: as it is now, whatever becomes of the draft.
  await page.getByRole('radio', { name: 'At' }).check();
  await page.getByLabel('Day and time').fill('2020-01-01T09:00');
  await page.getByRole('button', { name: 'Set live at that time' }).click();
  await expect(page.getByRole('alert')).toContainText('That instant has passed');
  await page.getByRole('radio', { name: 'At' }).check();
  await page.getByLabel('Day and time').fill('2030-05-03T09:00');
  await page.getByRole('button', { name: 'Set live at that time' }).click();
  await expect(page.getByText(/Goes live .*3 May.* 09:00/)).toBeVisible();
  await page.locator('.card[data-key="go"]').click();
  await page.getByRole('treegrid').focus();
  await page.keyboard.press('Delete');
  await expect(page.getByText(/^saved /)).toBeVisible();
  await page.reload();
  await expect(page.getByText('The draft was changed since: that is not in it.')).toBeVisible();
  const [later] = await query<{ keys: string[] }>(
    `select array(select jsonb_array_elements(l.document -> 'lane') ->> 'key') as keys
     from live_at l join journeys j on j.id = l.journey_id where j.key = 'reviewed'`
  );
  expect(later?.keys).toEqual(['a', 'w', 'go']);
  await page.getByRole('button', { name: 'Call it off' }).click();
  await expect(page.getByText(/Goes live/)).toBeHidden();
  await query(`delete from journeys where key = 'reviewed'`);
});
