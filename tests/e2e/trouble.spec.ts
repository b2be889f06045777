/** What went wrong, as whoever answers for it sees it: said where they look, with what they can do about it. */
import { expect, test } from './fixtures.ts';

test('a mail server that refuses us is one line on Today, and sending goes on when somebody says so', async ({
  page,
  query
}) => {
  await query(
    `update channels set stopped_at = now(), matter = '554 5.7.1 Relay access denied', next_probe = now() + interval '1 hour', alike = 10 where channel = 'email'`
  );
  await page.goto('/');
  const line = page.getByRole('listitem').filter({ hasText: 'The mail server refuses us' });
  await expect(line).toContainText('554 5.7.1 Relay access denied');
  await expect(line).toContainText(/\d+ messages? waits?|0 messages wait/);
  await line.getByRole('button', { name: 'Send now' }).click();
  await expect(line).toHaveCount(0);
  expect(await query(`select stopped_at from channels where channel = 'email'`)).toEqual([{ stopped_at: null }]);
});

test('someone set aside is named on Today and on their page, and is taken up again when asked', async ({
  page,
  query
}) => {
  const [someone] = await query<{ id: number; name: string }>(
    `select id::int, first_name || ' ' || last_name as name from people where first_name is not null and last_name is not null order by id limit 1`
  );
  const id = someone?.id ?? 0;
  await query(
    `insert into set_aside (person_id, error, attempts, next_try) values ($1, 'a value that fits nowhere', 3, now() + interval '1 hour')`,
    [id]
  );
  await page.goto(`/people/${id}`);
  await expect(page.getByRole('status').filter({ hasText: 'Set aside' })).toContainText('a value that fits nowhere');
  await page.goto('/');
  const line = page.getByRole('listitem').filter({ hasText: '1 person is set aside' });
  await expect(line).toContainText(someone?.name ?? '');
  await expect(line).toContainText('3 tries so far');
  await line.getByRole('button', { name: 'Try again' }).click();
  // The worker tries; nothing is wrong with them any more.
  await expect(line).toHaveCount(0);
  await expect.poll(async () => (await query('select from set_aside')).length).toBe(0);
});

test('a suppressed address is lifted by hand with a reason, and what bounced is sent again', async ({
  page,
  query
}) => {
  // The last mail that went out, as if its mailbox had not been there.
  const [bounced] = await query<{ person: number; step: string; key: string }>(
    `with last as (
       update messages m set state = 'bounced', trouble = 'mailbox', error = '550 5.1.1 no such mailbox'
       from journeys j
       where j.id = m.journey_id and m.id = (select max(id) from messages where state = 'sent' and channel = 'email')
       returning m.person_id::int as person, m.step, j.key, lower(m.address) as address
     ), suppressed as (
       insert into suppressions select address, 'bounced', now() from last
     )
     select person, step, key from last`
  );
  const person = bounced?.person ?? 0;
  await page.goto(`/people/${person}`);
  await page.getByRole('button', { name: 'Send again' }).first().click();
  await expect(page.getByRole('alert')).toContainText('the address is suppressed');
  await page.getByRole('button', { name: 'Lift …' }).click();
  await page.getByLabel('Why it may be written to again').fill('they wrote to us from it');
  await page.getByRole('button', { name: 'Lift', exact: true }).click();
  await expect(page.getByText('Suppression lifted by Nuala')).toContainText('they wrote to us from it');
  const attempts = async () =>
    (await query<{ n: number }>('select sum(claim)::int as n from messages where person_id = $1', [person]))[0]?.n ?? 0;
  const before = await attempts();
  // From the sheet too: all of a step that failed, and how many stay.
  await page.goto(`/journeys/${bounced?.key}?view=watch&step=${bounced?.step}`);
  await page.getByRole('button', { name: 'Send again' }).click();
  await expect(page.getByRole('status').filter({ hasText: 'out again' })).toContainText(/1 message goes out again/);
  await expect.poll(attempts).toBe(before + 1);
});

test('what makes somebody’s work fail is dropped, stays on their record, and what waits behind it goes on', async ({
  page,
  query
}) => {
  const [someone] = await query<{ id: number; name: string }>(
    `select id::int, first_name || ' ' || last_name as name from people where first_name is not null and last_name is not null order by id desc limit 1`
  );
  const id = someone?.id ?? 0;
  await query(
    `insert into happenings (person_id, name, at, source, data) select $1, 'set', practice_now, 'import', d
     from workspace, unnest(array['{"addTags":"no list"}', '{"addTags":["behind it"]}']::jsonb[]) as d`,
    [id]
  );
  await page.goto('/set-aside');
  const row = page.getByRole('row').filter({ hasText: someone?.name ?? '' });
  await expect(row).toContainText('addTags: found "no list", expected an array', { timeout: 20_000 });
  await expect(row).toContainText('waits first: a change by import');
  await row.getByRole('button', { name: 'Drop what waits first' }).click();
  await expect(row).toHaveCount(0, { timeout: 20_000 });
  await page.goto(`/people/${id}`);
  await expect(page.getByText(/Dropped, because their work failed for it: set by import/)).toBeVisible();
  await expect
    .poll(async () => (await query(`select from person_tags where person_id = $1 and tag = 'behind it'`, [id])).length)
    .toBe(1);
  await query(`delete from person_notes where person_id = $1`, [id]);
});

test('many who are refused at once are asked about on Today; suppressed addresses are lifted together', async ({
  page,
  query
}) => {
  await query(`insert into doubts (domain, refused, answer) values ('odd.example', 12, '550 5.1.1 no such user')`);
  await query(
    `insert into suppressions (address, reason, at, answer)
     select 'x' || n || '@odd.example', 'bounced', practice_now, '550 5.1.1 no such user' from workspace, generate_series(1, 3) as n`
  );
  await page.goto('/');
  const line = page.getByRole('listitem').filter({ hasText: '12 addresses of odd.example refused within an hour' });
  await expect(line).toContainText('nobody is suppressed meanwhile');
  await line.getByRole('link', { name: 'They are gone …' }).click();
  await expect(page.getByRole('heading', { name: 'Suppressed' })).toBeVisible();
  await page.getByRole('button', { name: 'They are gone: suppress them' }).click();
  await expect(page.getByText('12 addresses of odd.example')).toHaveCount(0);
  const row = page.getByRole('row').filter({ hasText: 'odd.example' });
  await row.getByRole('button', { name: 'Lift …' }).click();
  await row.getByRole('textbox', { name: 'Why they may be written to again' }).fill('Their server is back');
  await row.getByRole('button', { name: 'Lift 3 suppressions' }).click();
  await expect(page.getByRole('status').filter({ hasText: '3 addresses may be written to again' })).toBeVisible();
  expect(await query(`select distinct reason from lifted_suppressions where address like '%@odd.example'`)).toEqual([
    { reason: 'Their server is back' }
  ]);
  await query(`delete from doubts`);
});

test('a mail in somebody’s name without our key says so among the replies', async ({ page, query }) => {
  const [someone] = await query<{ id: number }>(
    `select id::int from people where email is not null order by id limit 1`
  );
  await query(
    `insert into happenings (person_id, name, at, source, source_id, data) select $1, 'replied', practice_now, 'mail', 'claimed',
       '{"channel":"email","text":"Shall I bring a chair?","claimed":true}' from workspace`,
    [someone?.id]
  );
  await page.goto('/replies');
  await expect(page.getByRole('row').filter({ hasText: 'Shall I bring a chair?' })).toContainText('says they are');
});
