/** Tags, lists and fields as a catalogue: found, described, renamed everywhere, made one, types changed with what is lost. */
import { readFileSync } from 'node:fs';
import { expect, test } from './fixtures.ts';

test('a tag is described, renamed everywhere and made one with another, in numbers before', async ({ page, query }) => {
  await query(
    `insert into people (email, created_at, updated_at) select 'cat' || i || '@names.example', now(), now() from generate_series(1, 3) i`
  );
  await query(`insert into person_tags select id, 'harbour', now() from people where email like 'cat%@names.example'`);
  await query(`insert into person_tags select id, 'quay', now() from people where email = 'cat1@names.example'`);
  await page.goto('/people');
  await page.getByRole('link', { name: 'Tags, lists and fields' }).click();
  await page.getByLabel('Find a name').fill('harb');
  await expect(page.getByRole('row')).toHaveCount(2);
  await page.getByRole('link', { name: 'harbour' }).click();
  const card = page.getByRole('region', { name: 'harbour' });
  await card.getByLabel('What it says of people').fill('Came to the harbour evening');
  await card.getByRole('button', { name: 'Save' }).click();
  await expect(page.getByRole('row', { name: /harbour/ })).toContainText('Came to the harbour evening');

  await card.getByLabel('Call it').fill('pier');
  await expect(card).toContainText('3 people, 0 journeys and settings say “pier” from then on');
  await card.getByRole('button', { name: 'Rename everywhere' }).click();
  await expect(page.getByRole('status')).toContainText('Called “pier” now: on 3 people');
  const pier = page.getByRole('region', { name: 'pier' });
  await expect(pier).toContainText('called harbour before');

  await pier.getByLabel('Call it').fill('quay');
  await expect(pier).toContainText('It becomes one with “quay”, for good: 3 people');
  await pier.getByRole('button', { name: 'Make them one' }).click();
  await expect(page.getByRole('status')).toContainText('Called “quay” now');
  expect(
    await query(`select tag, count(*)::int as n from person_tags t join people p on p.id = t.person_id
      where p.email like 'cat%@names.example' group by tag`)
  ).toEqual([{ tag: 'quay', n: 3 }]);
  // Nothing uses it: it can go.
  await page.getByRole('button', { name: 'Take it away from 3 people' }).click();
  await expect(page.getByRole('status')).toContainText('It is gone.');
  await query(`delete from people where email like 'cat%@names.example'`);
});

test('a tag that journeys go by says where, and arrows go through the rows', async ({ page }) => {
  await page.goto('/people/names?kind=tag&name=keen');
  const [file] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('button', { name: 'CSV', exact: true }).click()
  ]);
  const lines = readFileSync(await file.path(), 'utf8')
    .trim()
    .split('\n');
  expect(lines[0]).toContain('name,what for,people,came,went,set in,read in,since');
  expect(lines.some((l) => l.startsWith('keen,') && l.includes('After the first visit'))).toBe(true);
  const [other] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('button', { name: 'NDJSON' }).click()
  ]);
  expect(JSON.parse(readFileSync(await other.path(), 'utf8').split('\n')[0] ?? '')).toHaveProperty('people');
  const card = page.getByRole('region', { name: 'keen' });
  await expect(card).toContainText('After the first visit');
  await expect(card.getByText('It can be taken away once nothing uses it.')).toBeVisible();
  await page.getByRole('link', { name: 'keen', exact: true }).focus();
  await page.keyboard.press('ArrowDown');
  await expect(card).toBeHidden();
  await page.getByRole('navigation', { name: 'Which' }).getByRole('link', { name: 'Lists' }).click();
  await page.getByLabel('Name of a new list').fill('monthly letter');
  await page.getByRole('button', { name: 'Make it' }).click();
  await page.getByRole('link', { name: 'monthly letter' }).click();
  const list = page.getByRole('region', { name: 'monthly letter' });
  await list.getByLabel('Joining').selectOption('double');
  await list.getByLabel('What the list is for').fill('What the observatory shows next');
  await list.getByRole('button', { name: 'Save' }).click();
  await expect(page.getByRole('row', { name: /monthly letter/ })).toContainText('What the observatory shows next');
  await expect(list.getByLabel('Joining')).toHaveValue('double');
});

test('a change of type says what is lost before it is done', async ({ page, query }) => {
  await query(`insert into field_names (name, since) values ('shoe_size', now()) on conflict do nothing`);
  await query(`insert into people (email, fields, created_at, updated_at)
    select 'shoe' || i || '@names.example', jsonb_build_object('shoe_size', case when i = 3 then 'large' else '4' || i end), now(), now() from generate_series(1, 3) i`);
  await page.goto('/people/names?kind=field&name=shoe_size');
  const card = page.getByRole('region', { name: 'shoe_size' });
  await card.getByLabel('Type').selectOption('number');
  await card.getByRole('button', { name: 'See what becomes of the values' }).click();
  const preview = page.getByTestId('type-preview');
  await expect(preview).toContainText('2 values fit, 1 is lost.');
  await expect(preview).toContainText('large (1) → lost');
  await preview.getByRole('button', { name: 'Change the type, losing 1' }).click();
  await expect(page.getByRole('row', { name: /shoe_size/ })).toContainText('number');
  expect(
    await query(
      `select fields -> 'shoe_size' as size from people where email like 'shoe%@names.example' order by email`
    )
  ).toEqual([{ size: 41 }, { size: 42 }, { size: null }]);
  await page.getByRole('button', { name: /^Take it away from 2 people/ }).click();
  await expect(page.getByRole('status')).toContainText('It is gone.');
  await query(`delete from people where email like 'shoe%@names.example'`);
});
