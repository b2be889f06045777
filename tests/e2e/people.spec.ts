/** People: found by a rule, kept as a segment, something done with all of them at once, saved as a file. */
import { readFile } from 'node:fs/promises';
import { expect, test } from './fixtures.ts';

test.describe.configure({ timeout: 60_000 });

test('a rule finds people, in numbers; kept as a segment, with what uses it; and it can be deleted', async ({
  page,
  query
}) => {
  await page.goto('/people');
  await page.getByTestId('clock').waitFor();
  await page.getByRole('button', { name: 'Only those who' }).click();
  const aside = page.getByRole('complementary', { name: 'Only those who' });
  await aside.getByLabel('Type a rule').fill('tag is member and not town is Shalewater');
  await page.keyboard.press('Enter');
  const [{ n } = { n: 0 }] = await query<{ n: number }>(
    `select count(*)::int as n from people p where exists (select from person_tags t where t.person_id = p.id and t.tag = 'member')
       and lower(coalesce(p.fields ->> 'town', '')) <> 'shalewater'`
  );
  await expect(aside.getByText(new RegExp(`^${n} people of `))).toBeVisible();
  await expect(page.getByText(`${n} people · they have the tag member and`)).toBeVisible();
  // The address holds it.
  await page.reload();
  await expect(page.getByText(`${n} people · they have the tag member and`)).toBeVisible();
  await aside.getByLabel('Keep it as a segment named').fill('members from afar');
  await aside.getByRole('button', { name: 'Save the segment' }).click();
  await expect(aside.getByText('“members from afar” is saved.')).toBeVisible();
  const segment = (name: string) =>
    aside.locator('.segment').filter({ has: page.getByRole('button', { name, exact: true }) });
  const line = segment('members from afar');
  // Everybody is looked at, by the workers.
  await expect(line).toContainText(new RegExp(`members from afar ?${n}`), { timeout: 30_000 });
  // One that goes by it, and so keeps it; and in a circle nothing goes.
  await aside.getByRole('button', { name: 'Remove' }).first().click();
  await aside.getByLabel('Type a rule').fill('segment is members from afar');
  await page.keyboard.press('Enter');
  await aside.getByLabel('Keep it as a segment named').fill('members from afar');
  await aside.getByRole('button', { name: 'Change “members from afar” to this' }).click();
  await expect(aside.getByRole('alert')).toBeVisible();
  await aside.getByLabel('Keep it as a segment named').fill('further');
  await aside.getByRole('button', { name: 'Save the segment' }).click();
  await expect(line).toContainText('Used in further');
  await segment('further').getByRole('button', { name: 'Delete it' }).click();
  await line.getByRole('button', { name: 'Delete it' }).click();
  await expect(line).toHaveCount(0);
});

test('a tag is put on all who are found, in numbers before, and taken back; the ticked alone go on a list', async ({
  page,
  query
}) => {
  const has = async (tag: string): Promise<number> =>
    (await query<{ n: number }>('select count(*)::int as n from person_tags where tag = $1', [tag]))[0]!.n;
  const members = await has('member');
  await page.goto('/people?tag=member');
  await page.getByTestId('clock').waitFor();
  await page.getByRole('button', { name: /^With all/ }).click();
  const bar = page.getByRole('region', { name: 'With all of them' });
  await bar.getByRole('combobox', { name: 'Tag', exact: true }).fill('met before');
  await expect(bar.getByText(`${members} of ${members} do not have it yet`)).toBeVisible();
  await bar.getByRole('button', { name: `Put a tag on: ${members} people` }).click();
  await expect.poll(() => has('met before'), { timeout: 30_000 }).toBe(members);
  const done = page.getByRole('region', { name: 'Done with many' }).first();
  await expect(done).toContainText(`The tag met before is put on: ${members} people, done`);
  await done.getByRole('button', { name: 'Take it back' }).click();
  await expect.poll(() => has('met before'), { timeout: 30_000 }).toBe(0);

  await page.goto('/people');
  await page.getByTestId('clock').waitFor();
  await page
    .getByRole('checkbox', { name: /^Tick (?!all)/ })
    .nth(0)
    .check();
  await page
    .getByRole('checkbox', { name: /^Tick (?!all)/ })
    .nth(3)
    .check();
  await page.getByRole('button', { name: 'With the 2 ticked' }).click();
  await bar.getByLabel('What is done').selectOption('add list');
  await bar.getByRole('combobox', { name: 'List', exact: true }).fill('open evening');
  await bar.getByRole('button', { name: 'Put on a list: 2 people' }).click();
  await expect
    .poll(async () => query(`select count(*)::int as n from person_lists where list = 'open evening'`), {
      timeout: 30_000
    })
    .toEqual([{ n: 2 }]);
});

test('a field is set on all who are found; a value that does not fit is said before', async ({ page, query }) => {
  await query(`insert into field_names (name, since) values ('badge', now()) on conflict do nothing`);
  await page.goto('/people?q=' + encodeURIComponent('brack'));
  await page.getByTestId('clock').waitFor();
  await page.getByRole('button', { name: /^With all/ }).click();
  const bar = page.getByRole('region', { name: 'With all of them' });
  await bar.getByLabel('What is done').selectOption('set field');
  await bar.getByRole('combobox', { name: 'Field', exact: true }).fill('member');
  await bar.getByLabel('What it becomes').fill('perhaps');
  await expect(bar.getByRole('status')).toContainText('“member” takes yes or no');
  await bar.getByRole('combobox', { name: 'Field', exact: true }).fill('badge');
  await bar.getByLabel('What it becomes').fill('gold');
  await expect(bar.getByRole('status')).toContainText('have another value, or none');
  await bar.getByRole('button', { name: /^Set a field: \d+ people/ }).click();
  const [{ n } = { n: 0 }] = await query<{ n: number }>(
    `select count(*)::int as n from people where lower(coalesce(first_name, '') || ' ' || coalesce(last_name, '') || ' ' || coalesce(email, '') || ' ' || coalesce(phone, '')) like '%brack%'`
  );
  await expect
    .poll(() => query(`select count(*)::int as n from people where fields ->> 'badge' = 'gold'`), { timeout: 30_000 })
    .toEqual([{ n }]);
  await expect(page.getByRole('region', { name: 'Done with many' }).first()).toContainText('Their badge becomes gold');
});

test('points are given to all who are found; all of them are erased only once that is typed', async ({
  page,
  query
}) => {
  await query(`insert into people (email, created_at, updated_at)
    select 'many' || i || '@erase.example', now(), now() from generate_series(1, 3) i`);
  await page.goto('/people?q=erase.example');
  const bar = page.getByRole('region', { name: 'With all of them' });
  await page.getByRole('button', { name: 'With all 3 …' }).click();
  await bar.getByLabel('What is done').selectOption('add points');
  await bar.getByRole('combobox', { name: 'Score', exact: true }).fill('given');
  await bar.getByLabel('Points').fill('7');
  await bar.getByRole('button', { name: 'Give points: 3 people' }).click();
  await expect
    .poll(() => query(`select count(*)::int as n from scores where score = 'given' and points = 7`))
    .toEqual([{ n: 3 }]);
  await page.getByRole('button', { name: 'With all 3 …' }).click();
  await bar.getByLabel('What is done').selectOption('erase');
  const go = bar.getByRole('button', { name: 'Erase: 3 people' });
  await expect(go).toBeDisabled();
  await bar.getByLabel('Type erase').fill('erase');
  await go.click();
  await expect
    .poll(() => query(`select count(*)::int as n from people where email like '%@erase.example'`))
    .toEqual([{ n: 0 }]);
  await expect(page.getByRole('region', { name: 'Done with many' }).first()).toContainText('They are erased');
});

test('what the table shows is saved as a file, and no cell of it is a formula', async ({ page, query }) => {
  await query(
    `insert into people (email, first_name, fields, created_at, updated_at)
     values ('formula@people.example', '=cmd()', '{"town": "+1", "visits": -3}', now(), now())`
  );
  await page.goto('/people?q=formula');
  await page.getByTestId('clock').waitFor();
  const [file] = await Promise.all([page.waitForEvent('download'), page.getByRole('link', { name: 'CSV' }).click()]);
  const text = await readFile(await file.path(), 'utf8');
  const lines = text.trim().split('\n');
  expect(lines).toHaveLength(2);
  expect(lines[0]).toMatch(/^email,phone,first_name/);
  expect(lines[1]).toContain("'=cmd()");
  expect(lines[1]).toContain("'+1");
  const [other] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('link', { name: 'NDJSON' }).click()
  ]);
  expect(JSON.parse(await readFile(await other.path(), 'utf8'))).toMatchObject({ first_name: '=cmd()' });
  // Those ticked alone.
  await page.goto('/people');
  await page
    .getByRole('checkbox', { name: /^Tick (?!all)/ })
    .first()
    .check();
  const [one] = await Promise.all([page.waitForEvent('download'), page.getByRole('link', { name: 'NDJSON' }).click()]);
  expect((await readFile(await one.path(), 'utf8')).trim().split('\n')).toHaveLength(1);
  expect((await page.request.get('/people/export?format=csv&ids=1;2')).status()).toBe(400);
  await query(`delete from people where email = 'formula@people.example'`);
});

test('addresses that cannot be read, and requests that are wrong, say so', async ({ page }) => {
  await page.goto('/people?where=%7B%22no%22%3A1%7D');
  await expect(page.getByRole('alert')).toContainText('The rule in this address cannot be read');
  const origin = new URL(page.url()).origin;
  const post = (url: string, data: object) => page.request.post(url, { data, headers: { origin } });
  expect((await post('/api/people/selected', { selection: { asked: 1 }, change: null })).status()).toBe(400);
  expect(
    (
      await post('/api/people/many', { selection: {}, change: { act: 'enter', journey: 'nowhere' }, expected: 1 })
    ).status()
  ).toBe(409);
  expect((await post('/api/people/many', { selection: {}, change: { act: 'erase' }, expected: 1 })).status()).toBe(400);
  // What is for good goes by what was seen.
  expect(
    (
      await post('/api/people/many', { selection: { text: 'brack' }, change: { act: 'erase' }, expected: 1_000 })
    ).status()
  ).toBe(409);
  expect((await page.request.get('/people/export?format=exe')).status()).toBe(400);
});
