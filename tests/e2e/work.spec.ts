/** The pages around a live journey: tasks, settings and keys, a version people move over to, ending it, and mail that is sent back. */
import { createJourney, saveDraft } from '../../server/journeys/journeys.ts';
import { setLive } from '../../server/journeys/going-live.ts';
import { askEntry } from '../../server/people/inputs.ts';
import { openPool, type Pool } from '../../server/db/pool.ts';
import type { Journey } from '../../core/journey/schema.ts';
import { journey, mail, put, wait } from '../make.ts';
import { expect, test } from './fixtures.ts';

let pool: Pool;
test.beforeAll(() => {
  pool = openPool(process.env['AMBULO_DATABASE'] ?? '', 2);
});
test.afterAll(() => pool.end());

/** Makes a journey, sets it live, and puts the first of those who can be reached into it. */
async function begin(document: Journey, people: number): Promise<number[]> {
  const key = await createJourney(pool, document, 'Nuala B.');
  const live = await setLive(pool, key, 1, 'Nuala B.');
  if (!live.ok) throw new Error(live.message);
  const { rows } = await pool.query<{ id: number }>(
    `select p.id from people p join consents c on c.person_id = p.id and c.channel = 'email' and c.state = 'given'
     where p.email is not null and not exists (select from suppressions s where s.address = lower(p.email)) order by p.id limit $1`,
    [people]
  );
  const ids = rows.map((r) => r.id);
  await askEntry(pool, ids, key, 'test');
  return ids;
}

test('a task is found under mine, done by the keyboard with what came of it, and whoever waited goes on', async ({
  page,
  query
}) => {
  const [person] = await begin(
    journey(
      [
        {
          key: 'ring',
          kind: 'task',
          title: 'Ring {{ person.first_name | default: "them" }} now',
          what: 'call',
          due: 'PT1M',
          priority: 'high',
          await: { limit: 'P9D' }
        },
        put('rung')
      ],
      { key: 'tasks-here', name: 'Tasks here' }
    ),
    1
  );
  await page.goto('/tasks');
  const row = page.getByRole('row', { name: /^.*Ring .* now/ });
  await expect(row).toContainText('They stand still until it is done.');
  await expect(row).toContainText('Tasks here');
  await page.keyboard.press('ArrowDown');
  await page.keyboard.press('d');
  await page.getByLabel('What came of it').fill('Will come on Friday');
  await page.keyboard.press('Enter');
  await expect(row).toHaveCount(0);
  await page.getByRole('button', { name: 'Done', exact: true }).click();
  await expect(page.getByRole('row', { name: /Will come on Friday/ })).toContainText('Nuala');
  await expect
    .poll(async () => (await query(`select 1 from person_tags where person_id = $1 and tag = 'rung'`, [person])).length)
    .toBe(1);
});

test('settings that are wrong are refused with their places; a key opens the API until it is revoked', async ({
  page,
  request
}) => {
  await page.goto('/settings');
  const box = page.getByLabel('Settings, as JSON');
  const before = await box.inputValue();
  await box.fill('{"format":"ambulo.settings/1","limits":[{"atMost":0,"per":"P1D"}]}');
  await page.getByRole('button', { name: 'Save' }).first().click();
  await expect(page.getByRole('alert')).toContainText('limits[0].atMost');
  await expect(box).toHaveValue(/"atMost":0/);
  await box.fill(before);
  await page.getByRole('button', { name: 'Save' }).first().click();
  await expect(page.getByText('Saved.')).toBeVisible();

  await page.getByLabel('A new key, for').fill('the shop');
  await page.getByRole('button', { name: 'Make a key' }).click();
  const token = (await page.getByText(/^ambulo_/).textContent()) ?? '';
  const tell = (authorization: string, subject = '1') =>
    request.post('/api/happenings', {
      headers: { authorization, 'content-type': 'application/cloudevents+json', origin: 'https://shop.example' },
      data: JSON.stringify({
        specversion: '1.0',
        id: `e2e-${subject}`,
        source: 'https://shop.example',
        type: 'ambulo.page_seen',
        time: '2027-01-12T00:00:00Z',
        subject,
        data: { url: '/seats' }
      })
    });
  expect((await tell(`Bearer ${token}`)).status()).toBe(202);
  expect(await (await tell(`Bearer ${token}`)).json()).toEqual({ taken: 0, known: 1, refused: [] });
  expect((await tell(`Bearer ${token}`, 'nobody')).status()).toBe(422);
  expect((await tell('Bearer ambulo_00000000000000000000000000000000')).status()).toBe(401);
  // Each key may do what it was made for.
  const figures = await request.get('/metrics', { headers: { authorization: `Bearer ${token}`, cookie: 'none=1' } });
  expect(figures.status()).toBe(401);
  // In binary mode the attributes are headers; what is too much at once is refused as a whole.
  const binary = await request.post('/api/happenings', {
    headers: {
      authorization: `Bearer ${token}`,
      'content-type': 'application/json',
      'ce-specversion': '1.0',
      'ce-id': 'b1',
      'ce-source': 's',
      'ce-type': 'ambulo.page_seen',
      'ce-time': '2027-01-12T00:00:00Z',
      'ce-subject': '1'
    },
    data: '{"url":"/b"}'
  });
  expect(binary.status()).toBe(202);
  const many = await request.post('/api/happenings', {
    headers: { authorization: `Bearer ${token}` },
    data: JSON.stringify(Array.from({ length: 1001 }, () => ({})))
  });
  expect([many.status(), ((await many.json()) as { message: string }).message]).toEqual([
    413,
    expect.stringContaining('Nothing of it was stored')
  ]);
  expect((await request.get('/api/openapi.json')).status()).toBe(200);
  await page
    .getByRole('row', { name: /the shop/ })
    .getByRole('button', { name: 'Revoke' })
    .click();
  await expect(page.getByRole('row', { name: /the shop/ })).toContainText('revoked');
  expect((await tell(`Bearer ${token}`)).status()).toBe(401);
});

test('those inside move over to a new version, said in numbers before; then it is ended for everyone', async ({
  page,
  query
}) => {
  const first = journey([mail('a'), wait('stand', 'P9D'), mail('b')], { key: 'moves', name: 'Moves' });
  await begin(first, 3);
  await expect
    .poll(
      async () =>
        (
          await query(
            `select 1 from walks w join journeys j on j.id = w.journey_id where j.key = 'moves' and w.step = 'stand'`
          )
        ).length
    )
    .toBe(3);
  const saved = await saveDraft(pool, 'moves', 1, { ...first, lane: [mail('z'), wait('stand', 'P9D'), mail('c')] });
  expect(saved.ok).toBe(true);
  await page.goto('/journeys/moves/review');
  await expect(page.getByText('They finish on the version they entered')).toBeVisible();
  await page.getByText('They go on in this one').click();
  await expect(page.getByText('3 people go on in this version.')).toBeVisible();
  await page.getByRole('button', { name: /Set live/ }).click();
  await page.waitForURL('**/journeys/moves?view=watch');
  await expect
    .poll(
      async () =>
        (
          await query(
            `select 1 from walks w join journeys j on j.id = w.journey_id where j.key = 'moves' and w.version = 2`
          )
        ).length
    )
    .toBe(3);

  const bar = page.getByRole('region', { name: 'Brake' });
  await bar.getByRole('button', { name: 'End for everyone …' }).click();
  await expect(bar).toContainText('3 people leave it at once');
  await bar.getByRole('button', { name: 'End it now' }).click();
  await expect(bar).toContainText('Ended');
  await expect
    .poll(
      async () =>
        (
          await query(
            `select 1 from walks w join journeys j on j.id = w.journey_id where j.key = 'moves' and w.state = 'walking'`
          )
        ).length
    )
    .toBe(0);
  await bar.getByRole('button', { name: 'Archive …' }).click();
  await bar.getByRole('button', { name: 'Archive it' }).click();
  await expect(bar).toContainText('Archived');
  await page.goto('/journeys');
  await expect(page.getByRole('row', { name: /Moves/ })).toHaveCount(0);
});

test('what a reader sends back by mail arrives: an answer, and that their mailbox is gone', async ({ page, query }) => {
  const [person] = await begin(journey([mail('a'), wait('stand', 'P9D')], { key: 'post', name: 'Post' }), 1);
  await expect
    .poll(
      async () =>
        (
          await query(
            `select 1 from messages m join journeys j on j.id = m.journey_id where j.key = 'post' and m.state = 'sent'`
          )
        ).length
    )
    .toBe(1);
  await page.goto('/stand-ins/postbox');
  await page
    .getByRole('link', { name: /About a/ })
    .first()
    .click();
  await page.getByLabel('An answer').fill('Count me in');
  await page.getByRole('button', { name: 'Send', exact: true }).click();
  await expect(page.getByText('The answer was sent.')).toBeVisible();
  await page.getByRole('button', { name: 'No such mailbox' }).click();
  await expect(page.getByText('It was sent back: no such mailbox.')).toBeVisible();
  await page.goto(`/people/${person}`);
  await expect(page.getByText('Count me in').first()).toBeVisible();
  await page.goto('/replies');
  await expect(page.getByText('Count me in').first()).toBeVisible();
  expect(
    (await query(`select 1 from suppressions s join people p on lower(p.email) = s.address where p.id = $1`, [person]))
      .length
  ).toBe(1);
});
