/** Doubles: searched with progress, seen side by side, made one with what stays chosen, or marked as different people. */
import { expect, test } from './fixtures.ts';

test('who is in twice is found, seen side by side and made one; the other address stays theirs', async ({
  page,
  query
}) => {
  await query(`insert into people (email, phone, first_name, last_name, fields, created_at, updated_at) values
    ('twice@doubles.example', null, 'Tess', 'Twice', '{"town": "Old Quay"}', '2027-01-01', now()),
    ('tw.ice+stars@doubles.example', '+447700911111', 'Tess', 'Twice', '{"town": "New Quay"}', '2027-02-01', now())`);
  await query(`insert into consents select id, 'email', 'given', now(), 'desk' from people where email = 'twice@doubles.example'
    union all select id, 'email', 'withdrawn', now(), 'a link' from people where email = 'tw.ice+stars@doubles.example'`);
  await page.goto('/people');
  await page.getByRole('link', { name: 'Doubles' }).click();
  await page.getByRole('button', { name: /Search (for doubles|again)/ }).click();
  await expect(page.getByText(/^Searched /)).toBeVisible({ timeout: 30_000 });
  await page.getByRole('navigation', { name: 'Alike in what' }).getByRole('link', { name: 'Address' }).click();
  await page.getByRole('link', { name: 'Tess Twice, twice' }).click();
  const card = page.getByRole('region', { name: 'Tess Twice and Tess Twice' });
  await expect(card.getByRole('row', { name: /Consent, email/ })).toContainText('given');
  await expect(card.getByRole('row', { name: /Consent, email/ })).toContainText('withdrawn');
  await card.getByRole('radio', { name: 'town: New Quay stays' }).check();
  await expect(card).toContainText('tw.ice+stars@doubles.example becomes a further address of theirs');
  await card.getByRole('button', { name: 'Make them one' }).click();
  await expect(page.getByText('They are one now:')).toBeVisible();
  const [gone] = await query<{ gone: number }>(
    `select gone::integer from merged m join people p on p.id = m.person_id where p.email = 'twice@doubles.example'`
  );
  // The number that is gone leads to the one who stayed.
  await page.goto(`/people/${gone?.gone}`);
  await expect(page.getByRole('heading', { name: 'Tess Twice' })).toBeVisible();
  await expect(page.getByText('also tw.ice+stars@doubles.example')).toBeVisible();
  await expect(page.getByRole('complementary')).toContainText('New Quay');
  await expect(page.getByText('Made one', { exact: true })).toBeVisible();
  await page.getByRole('button', { name: 'Write to this one' }).click();
  await expect(page.getByText('also twice@doubles.example')).toBeVisible();
  await page.getByRole('button', { name: 'Not theirs' }).click();
  await expect(page.getByText('also twice@doubles.example')).toBeHidden();
  await query(`delete from people where email like '%@doubles.example'`);
});

test('different people are not shown again; two are compared from the table of people; bad requests are refused', async ({
  page,
  query
}) => {
  await query(`insert into people (email, created_at, updated_at) values
    ('d1@different.example', now(), now()), ('d.1@different.example', now(), now())`);
  await page.goto('/people?q=different.example');
  await page.getByRole('checkbox', { name: 'Tick d1@different.example' }).check();
  await page.getByRole('checkbox', { name: 'Tick d.1@different.example' }).check();
  await page.getByRole('link', { name: 'See the two side by side' }).click();
  const two = page.getByRole('region', { name: /different.example and / });
  await two.getByRole('button', { name: 'Different people' }).click();
  await expect(page.getByRole('status').filter({ hasText: 'They are different people' })).toBeVisible();
  await expect(two).toContainText('that they are different people');
  await page.getByRole('button', { name: /Search (for doubles|again)/ }).click();
  await expect(page.getByText(/^Searched /)).toBeVisible({ timeout: 30_000 });
  await expect(page.getByRole('table', { name: 'People who may be one' })).not.toContainText('different.example');
  await two.getByRole('button', { name: 'Take that back' }).click();
  await expect(two.getByRole('button', { name: 'Different people' })).toBeVisible();
  for (const body of [
    'one=1&other=x&seen=a&choose={}',
    'one=1&other=2&seen=a&choose={',
    'one=1&other=1&seen=a&choose={}'
  ]) {
    const answer = await page.request.post('/people/doubles?/merge', {
      headers: { 'content-type': 'application/x-www-form-urlencoded', origin: new URL(page.url()).origin },
      data: body
    });
    expect(await answer.json()).toMatchObject({ type: 'failure' });
  }
  await query(`delete from people where email like '%@different.example'`);
});
