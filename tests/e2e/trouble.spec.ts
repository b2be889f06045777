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
