/** One person's page: facts and consent changed where they stand, with history and proof; notes, finding, texts; their data. */
import { readFileSync } from 'node:fs';
import { strFromU8, unzipSync } from 'fflate';
import { expect, test } from './fixtures.ts';

test('a fact is changed where it stands and tells its history; a wrong value says what fits', async ({
  page,
  query
}) => {
  const [{ id } = { id: 0 }] = await query<{ id: number }>(
    `select id::int from people where fields ? 'town' order by id offset 20 limit 1`
  );
  await page.goto(`/people/${id}`);
  await page.getByRole('button', { name: /^town:/ }).click();
  await expect(page.getByRole('list', { name: 'History of town' })).toContainText('came with people.csv');
  await page.getByRole('textbox', { name: 'New value of town' }).fill('Thornmere');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('button', { name: /^town: Thornmere/ })).toBeVisible();
  await page.getByRole('button', { name: /^town: Thornmere/ }).click();
  await expect(page.getByRole('list', { name: 'History of town' })).toContainText(/Thornmere.*by Nuala/);
  await page.getByRole('button', { name: /^member:/ }).click();
  await page.getByLabel('New value of member').selectOption('yes');
  await page.getByRole('button', { name: 'Save' }).click();
  await expect(page.getByRole('button', { name: /^member: yes/ })).toBeVisible();
  await page.getByRole('button', { name: /^email:/ }).click();
  await page.getByRole('textbox', { name: 'New value of email' }).fill('nonsense');
  await page.getByRole('button', { name: 'Save' }).click();
  await expect(page.getByRole('alert')).toHaveText('That is not an email address.');
});

test('consent has its history and its proof, and is changed with where it was given', async ({ page, query }) => {
  const [{ id } = { id: 0 }] = await query<{ id: number }>(
    `select person_id::int as id from consents where channel = 'email' and state = 'given' order by 1 offset 30 limit 1`
  );
  await page.goto(`/people/${id}`);
  await page.getByRole('button', { name: /Consent for email: given/ }).click();
  const history = page.getByRole('list', { name: 'History of consent for email' });
  await expect(history).toContainText('newsletter form (people.csv)');
  await page.getByLabel('Consent becomes').selectOption('withdrawn');
  await page.getByLabel('Where they said so').fill('by telephone');
  await page.getByRole('button', { name: 'Save' }).click();
  await page.getByRole('button', { name: /Consent for email: withdrawn/ }).click();
  await expect(history.getByRole('listitem').first()).toContainText(/withdrawn.*by telephone \(Nuala/);
});

test('notes stand in the timeline, which is searched', async ({ page }) => {
  await page.goto('/people/7');
  await page.getByRole('textbox', { name: 'A note' }).fill('Asked about the dome');
  await page.getByRole('button', { name: 'Add the note' }).click();
  const line = page.getByRole('listitem').filter({ hasText: 'Asked about the dome' });
  await expect(line).toContainText('Note');
  await page.getByLabel('Find in the timeline').fill('the dome');
  await expect(line).toBeVisible();
  await page.getByLabel('Find in the timeline').fill('no such thing');
  await expect(page.getByText('Nothing of that.')).toBeVisible();
  await page.getByLabel('Find in the timeline').fill('');
  await line.getByRole('button', { name: 'Take away' }).click();
  await expect(line).toBeHidden();
  await page.getByRole('button', { name: 'Texts' }).click();
  await expect(page.getByRole('button', { name: 'Texts' })).toHaveAttribute('aria-pressed', 'true');
});

test('everything of a person is saved as a ZIP; erased, they are gone', async ({ page, query }) => {
  await query(
    `insert into people (email, fields, created_at, updated_at) values ('leaving@erase.example', '{"town": "Here"}', now(), now())`
  );
  const [{ id } = { id: 0 }] = await query<{ id: number }>(
    `select id::int from people where email = 'leaving@erase.example'`
  );
  await query(
    `insert into consents (person_id, channel, state, at, source, wording) values (${id}, 'email', 'given', now(), 'desk', 'Write to me')`
  );
  await page.goto(`/people/${id}`);
  const saving = page.waitForEvent('download');
  await page.getByRole('link', { name: /Save everything/ }).click();
  const files = unzipSync(readFileSync(await (await saving).path()));
  expect(JSON.parse(strFromU8(files['person.json']!))).toMatchObject({
    email: 'leaving@erase.example',
    fields: { town: 'Here' }
  });
  expect(strFromU8(files['consents.csv']!)).toContain('desk,Write to me,leaving@erase.example');
  await page.getByRole('button', { name: 'Erase this person …' }).click();
  const erase = page.getByRole('button', { name: 'Erase', exact: true });
  await expect(erase).toBeDisabled();
  await page.getByLabel('Type leaving@erase.example to erase them').fill('leaving@erase.example');
  await erase.click();
  await page.waitForURL('/people');
  expect(await query(`select from people where email = 'leaving@erase.example'`)).toEqual([]);
  const gone = await page.goto(`/people/${id}`);
  expect(gone?.status()).toBe(404);
  // A file that brings them again says so.
  await page.goto('/people/import');
  await page.locator('input[type=file]').setInputFiles({
    name: 'again.csv',
    mimeType: 'text/csv',
    buffer: Buffer.from('email\nleaving@erase.example\nstaying@erase.example\n')
  });
  await expect(page.getByRole('table', { name: 'Why rows are refused' })).toContainText(
    'this person was erased on request'
  );
  await expect(page.getByRole('button', { name: 'Import 1 person: 1 new, 0 changed' })).toBeVisible();
});

test('why is told part by part: of a lane that was taken, and of a journey they are not in', async ({
  page,
  query
}) => {
  const [{ id } = { id: 0 }] = await query<{ id: number }>(
    `select t.person_id::int as id from trail t join people p on p.id = t.person_id where t.what = 'took' order by t.id limit 1`
  );
  await page.goto(`/people/${id}`);
  await page
    .getByRole('button', { name: /^Why: Took the lane/ })
    .first()
    .click();
  const why = page.getByRole('status').filter({ hasText: /rule/ });
  await expect(why).toContainText(/(yes|no)\s+they/);
  const [{ other } = { other: 0 }] = await query<{ other: number }>(
    `select id::int as other from people p where not exists (select from walks w where w.person_id = p.id) order by id limit 1`
  );
  await page.goto(`/people/${other}`);
  await page.getByLabel('Journey to ask about').selectOption({ label: 'After the first visit' });
  await expect(page.getByRole('status').filter({ hasText: 'lets people in' })).toContainText('never');
  expect((await page.request.get(`/api/people/${other}/why/999999999`)).status()).toBe(404);
  expect((await page.request.get(`/api/people/x/not-in/y`)).status()).toBe(404);
});

test('a wait is skipped by hand, and the walk goes on; they are taken out', async ({ page, query }) => {
  const [{ id, key } = { id: 0, key: '' }] = await query<{ id: number; key: string }>(
    `select w.person_id::int as id, j.key from walks w join journeys j on j.id = w.journey_id
     where w.state = 'walking' and w.standing = 'wait' and j.state = 'live' order by w.due_at desc limit 1`
  );
  const name = (await query<{ name: string }>('select name from journeys where key = $1', [key]))[0]?.name ?? '';
  await page.goto(`/people/${id}`);
  await page
    .getByRole('button', { name: `Skip the wait in ${name}` })
    .first()
    .click();
  await expect(page.getByText('Wait skipped')).toBeVisible();
  const out = page.getByRole('button', { name: `Take out of ${name}` });
  await expect
    .poll(async () => {
      if ((await out.count()) > 0) await out.first().click();
      return query(
        `select 1 as n from walks w join journeys j on j.id = w.journey_id
        where w.person_id = $1 and j.key = $2 and w.state = 'walking'`,
        [id, key]
      );
    })
    .toEqual([]);
});

test('texts are a conversation: an answer is written and sent, and nobody is written to who said stop', async ({
  page,
  query
}) => {
  const [{ id } = { id: 0 }] = await query<{ id: number }>(
    `select c.person_id::int as id from consents c join people p on p.id = c.person_id
     where c.channel = 'sms' and c.state = 'given' and p.phone is not null order by 1 offset 5 limit 1`
  );
  await page.goto(`/people/${id}`);
  await page.getByRole('button', { name: 'Texts', exact: true }).click();
  await page.getByRole('textbox', { name: 'Your answer, by text' }).fill('The dome opens at eight.');
  await page.getByRole('button', { name: 'Send the text' }).click();
  await expect(page.getByRole('listitem').filter({ hasText: '“The dome opens at eight.” — Nuala' })).toBeVisible();
  await expect.poll(() => query('select state from answers where person_id = $1', [id])).toEqual([{ state: 'sent' }]);
  await query(`update consents set state = 'withdrawn' where person_id = $1 and channel = 'sms'`, [id]);
  await page.reload();
  await page.getByRole('button', { name: 'Texts', exact: true }).click();
  await expect(page.getByText('They said that they want no texts.')).toBeVisible();
});

test('a task about somebody is made by hand, and done', async ({ page, query }) => {
  const [{ id } = { id: 0 }] = await query<{ id: number }>('select id::int from people order by id offset 12 limit 1');
  await page.goto(`/people/${id}`);
  await page.getByRole('textbox', { name: 'A note' }).fill('Ring about {{ the }} dome');
  await page.getByLabel('Day by which the task is due').fill('2099-12-24');
  await page.getByRole('button', { name: 'As a task' }).click();
  await expect(page.getByRole('listitem').filter({ hasText: 'Ring about {{ the }} dome — Nuala' })).toBeVisible();
  await page.goto('/tasks?view=all');
  const row = page.getByRole('row').filter({ hasText: 'Ring about {{ the }} dome' });
  await expect(row).toContainText('24 Dec');
  await row.getByRole('button', { name: 'Done…' }).click();
  await page.getByRole('table').getByRole('button', { name: 'Done', exact: true }).click();
  await expect(row).toHaveCount(0);
  await page.goto(`/people/${id}`);
  await expect(page.getByRole('listitem').filter({ hasText: 'done by Nuala' })).toBeVisible();
});
