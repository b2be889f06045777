/** What a newcomer does on the first day, from Today to a month later, in one sitting. */
import { expect, skip, test } from './fixtures.ts';

test.describe.configure({ mode: 'serial' });

const JOURNEY = '/journeys/dusk-club';

test('opens Today, then Journeys, then a live journey with people on its sheet', async ({ page }) => {
  await page.goto('/');
  await expect(page.getByRole('heading', { name: 'Friday 29 January' })).toBeVisible();
  await expect(page.getByText(/people are walking 2 journeys/)).toBeVisible();
  await page.getByRole('link', { name: 'Journeys' }).click();
  await expect(page.getByRole('row', { name: /After the first visit/ })).toContainText('live');
  await expect(page.getByRole('row', { name: /Open evening in May/ })).toContainText('1 blocker');
  await page.getByRole('link', { name: 'After the first visit' }).click();
  const sheet = page.getByRole('treegrid');
  await expect(sheet.locator('.card', { hasText: 'Thank you' })).toContainText(/\d+ sent, \d+ % open/);
  await expect(sheet.getByText('Day 9')).toBeVisible();
  await expect(page.getByRole('heading', { name: /People walking this journey/ })).toContainText(/\d/);
});

test('makes a journey by keyboard alone', async ({ page }) => {
  await page.goto('/journeys');
  await page.getByRole('heading', { name: 'Journeys' }).waitFor();
  const keys = page.keyboard;
  await expect(async () => {
    await keys.press('n');
    await expect(page.getByLabel('Name of the journey')).toBeFocused({ timeout: 500 });
  }).toPass();
  await keys.type('Dusk club');
  await keys.press('Enter');
  await page.waitForURL(JOURNEY);
  await expect(page.getByRole('treegrid')).toBeFocused();

  await keys.type('e');
  await keys.press('Enter');
  await expect(page.getByRole('textbox', { name: 'Subject' })).toBeFocused();
  await keys.type("Dusk at the dome, {{ person.first_name | default: 'friend' }}");
  for (let i = 0; i < 3; i++) await keys.press('Tab');
  await keys.type("Hello {{ person.first_name | default: 'friend' }},\n\ncome at dusk: https://quillmoor.example/dusk");
  await keys.press('Escape');
  await keys.press('ArrowRight');
  await keys.type('2d');
  await keys.press('Enter');
  await expect(page.getByRole('button', { name: 'Wait 2 d', exact: true })).toBeVisible();
  await keys.type('b');
  await keys.press('Enter');
  await keys.press('Escape');

  // Down to the lane of those who did not, then up to the one of those who did.
  await keys.press('ArrowDown');
  await keys.press('ArrowDown');
  await keys.press('End');
  await keys.type('te');
  await keys.press('Enter');
  await keys.type('The dome opens at dusk. https://quillmoor.example/dusk');
  await keys.press('Escape');
  await keys.press('ArrowUp');
  await keys.press('End');
  await keys.type('ta');
  await keys.press('Enter');
  await keys.type('dusk-keen');
  await keys.press('Escape');
  await keys.press('ArrowUp');
  await keys.press('End');
  await keys.type('sc');
  await keys.press('Enter');
  await keys.type('interest');
  await keys.press('Escape');
  await expect(page.locator('.head .moment')).toHaveText(['Entry', 'Day 2']);

  // The last gap: points on day 5.
  await keys.press('ArrowLeft');
  await keys.type('=day 1');
  await keys.press('Enter');
  await expect(page.getByText('people come here on day 2 already')).toBeVisible();
  await keys.press('Control+a');
  await keys.type('=day 5');
  await keys.press('Enter');
  await expect(page.locator('.head .moment')).toHaveText(['Entry', 'Day 2', 'Day 5']);
  await keys.press('Control+z');
  await expect(page.locator('.head .moment')).toHaveText(['Entry', 'Day 2']);
  await keys.press('Control+Shift+z');
  await expect(page.locator('.head .moment')).toHaveText(['Entry', 'Day 2', 'Day 5']);
  await expect(page.getByTestId('saved')).toHaveText(/^saved \d\d:\d\d$/);

  await page.reload();
  await expect(page.locator('.card .title')).toHaveText([
    "Dusk at the dome, {{ person.first_name | default: 'friend' }}",
    'Branch',
    'interest +5',
    'dusk-keen',
    'Text'
  ]);
});

test('says how people get in; copies, moves, folds and undoes by keyboard', async ({ page }) => {
  await page.goto(JOURNEY);
  const sheet = page.getByRole('treegrid');
  await expect(sheet).toBeFocused();
  await page.keyboard.press('Home');
  await page.getByLabel('Whoever gets the tag').fill('dusk-club');
  await expect(page.getByText('New here: dusk-club')).toBeVisible();
  await page.getByText('Those who have it already enter').click();
  await sheet.locator('.card', { hasText: 'dusk-keen' }).click();
  await page.keyboard.press('Control+d');
  await expect(sheet.locator('.card', { hasText: 'dusk-keen' })).toHaveCount(2);
  await page.keyboard.press('Control+z');
  await expect(sheet.locator('.card', { hasText: 'dusk-keen' })).toHaveCount(1);
  await sheet.locator('.card', { hasText: 'Branch' }).click();
  await page.keyboard.press('[');
  await expect(sheet.getByRole('rowheader')).toHaveCount(1);
  await page.keyboard.press(']');
  await expect(sheet.getByRole('rowheader')).toHaveCount(3);
  await page.keyboard.press('?');
  await expect(page.getByRole('dialog')).toContainText('Keys of the sheet');
  await page.keyboard.press('Escape');
  await expect(page.getByTestId('saved')).toHaveText(/^saved/);
  await expect(
    page.getByText('Whoever gets the tag dusk-club enters, once. Those who have it already enter when it goes live.')
  ).toBeVisible();
});

test('imports people: sees the columns, the rows that are refused and why, then imports', async ({ page }) => {
  await page.goto('/people/import');
  const csv =
    'Email,Mobile,First name,Favourite planet,Tags,consent_email,consent_sms\n' +
    'ida@people.example,+44 7700 900801,Ida,Saturn,dusk-club,given,given\n' +
    'jon@people.example,+44 7700 900802,<script>alert(1)</script>,Mars,dusk-club,given,given\n' +
    'kim@people.example,,,,dusk-club,given,\n' +
    'moya@people.example,+44 7700 900803,Moya,Venus,dusk-club,given,given\n' +
    'not an address,,Lea,,dusk-club,given,\n' +
    ',,Nobody,,,,\n' +
    'ida@people.example,,Twin,,dusk-club,,\n';
  await page
    .locator('input[type=file]')
    .setInputFiles({ name: 'dusk.csv', mimeType: 'text/csv', buffer: Buffer.from(csv) });
  await expect(page.getByTestId('refused')).toHaveText('3');
  const why = page.getByRole('table', { name: 'Why rows are refused' });
  await expect(why.getByRole('row', { name: /not an email address/ })).toContainText('line 6: “not an address”');
  await expect(why.getByRole('row', { name: /no address at all/ })).toContainText('line 7');
  await expect(why.getByRole('row', { name: /the same address stands on line/ })).toContainText('line 8');
  await expect(page.getByText('1 field is new and made by this file: favourite_planet.')).toBeVisible();
  // Consent is never assumed: where it comes from has to be said.
  const go = page.getByRole('button', { name: 'Import 4 people: 4 new, 0 changed' });
  await expect(page.getByText('Where was the consent given? Say its source.')).toBeVisible();
  await expect(go).toBeDisabled();
  await page.getByLabel('Where the consent was given').fill('sign-up sheet at the gate');
  await page.keyboard.press('Tab');
  await go.click();
  await expect(page.getByTestId('imported')).toHaveText(/4 new, 0 changed/);
  await expect(page.getByRole('heading', { name: 'Imported' })).toBeVisible();
  await page.getByRole('link', { name: 'Show the people' }).click();
  await page.getByRole('searchbox', { name: 'Search people' }).fill('ida@people');
  await expect(page.getByRole('row', { name: /ida@people\.example/ })).toContainText('dusk-club');
});

for (const [name, buffer, message] of [
  ['empty.csv', Buffer.from(''), /This file is empty/],
  ['endless.csv', Buffer.alloc(9 * 1024 * 1024, 'a'), /Line 1 is longer than 4 MB/]
] as const) {
  test(`refuses a file that cannot be read: ${name}`, async ({ page }) => {
    await page.goto('/people/import');
    await page.locator('input[type=file]').setInputFiles({ name, mimeType: 'text/csv', buffer });
    await expect(page.getByRole('alert')).toHaveText(message);
  });
}

test('a journey that cannot go live says why', async ({ page }) => {
  await page.goto('/journeys/open-evening');
  const button = page.getByRole('button', { name: '1 blocker to mend' });
  await expect(button).toHaveAttribute('title', 'This email has no subject.');
  // It goes where it is mended.
  await expect(async () => {
    await button.click();
    await expect(page.getByRole('textbox', { name: 'Subject' })).toBeFocused({ timeout: 1000 });
  }).toPass();
  await expect(page.getByRole('tabpanel', { name: 'Findings' })).toContainText(
    'Blocks going live.This email has no subject.'
  );
  await page.goto('/journeys/open-evening/review');
  await expect(page.getByRole('button', { name: '1 blocker to mend first' })).toBeDisabled();
});

test('sets the journey live on a page that says how many people enter now', async ({ page }) => {
  await page.goto(JOURNEY);
  await page.getByRole('button', { name: 'Review and set live' }).click();
  await expect(page.getByRole('heading', { name: 'Who enters now' }).locator('..')).toContainText(
    '4 of those who enter can be reached by email, 3 by text'
  );
  await page.getByRole('button', { name: 'Set live: 4 people enter now' }).click();
  await page.waitForURL(`${JOURNEY}?view=watch`);
  await expect(page.locator('.card').first()).toContainText('4 sent');
  await expect(page.getByRole('button', { name: 'Wait 4 wait', exact: true })).toBeVisible();
});

test('reads the mail that arrived, opens it as one person, follows a link, unsubscribes as another', async ({
  page,
  query
}) => {
  await page.goto('/stand-ins/postbox?q=ida@people');
  const fetched = page.waitForResponse((r) => r.url().includes('/o/'));
  await page.getByRole('link', { name: /Dusk at the dome, Ida/ }).click();
  expect((await fetched).status()).toBe(200);
  await expect(page.frameLocator('iframe').getByText('Hello Ida,')).toBeVisible();
  await page.frameLocator('iframe').getByRole('link', { name: 'https://quillmoor.example/dusk' }).click();
  await expect(page.getByRole('status').filter({ hasText: 'Followed as' })).toContainText(
    'it led to https://quillmoor.example/dusk'
  );
  await page.getByRole('button', { name: 'Text part' }).click();
  await expect(page.locator('pre')).toContainText('Hello Ida,');
  await page.getByRole('button', { name: 'Headers' }).click();
  await expect(page.locator('pre')).toContainText('list-unsubscribe-post: List-Unsubscribe=One-Click');
  await page.getByRole('button', { name: 'https://quillmoor.example/dusk' }).click();
  await expect(page.getByRole('status').filter({ hasText: 'Followed as' })).toContainText(
    'https://quillmoor.example/dusk'
  );

  await page.goto('/stand-ins/postbox?q=jon@people');
  const link = page.getByRole('link', { name: /Dusk at the dome/ });
  await expect(link).toContainText('<script>alert(1)</script>');
  await link.click();
  await expect(page.frameLocator('iframe').getByText('Hello <script>alert(1)</script>,')).toBeVisible();

  await page.goto('/stand-ins/postbox?q=kim@people');
  await page.getByRole('link', { name: 'Dusk at the dome, friend' }).click();
  const [unsubscribe] = await Promise.all([
    page.waitForEvent('popup'),
    page.getByRole('link', { name: 'Unsubscribe' }).click()
  ]);
  await expect(unsubscribe.getByText('Stop all emails from us to kim@people.example?')).toBeVisible();
  expect(
    await query(
      `select from happenings h join people p on p.id = h.person_id where p.email = 'kim@people.example' and h.name = 'unsubscribed'`
    )
  ).toHaveLength(0);
  await unsubscribe.getByRole('button', { name: 'Unsubscribe' }).click();
  await expect(unsubscribe.getByRole('status')).toContainText('kim@people.example is unsubscribed');
  await expect
    .poll(
      async () =>
        (
          await query<{ state: string }>(
            `select c.state from consents c join people p on p.id = c.person_id where p.email = 'kim@people.example' and channel = 'email'`
          )
        )[0]?.state
    )
    .toBe('withdrawn');
});

test('two days later those who opened went one way, those who did not the other; a text arrives and is answered', async ({
  page
}) => {
  await page.goto(`${JOURNEY}?view=watch`);
  await skip(page, '2 days', false);
  await expect(page.getByRole('rowheader').filter({ hasText: 'opened Dusk' }).locator('.count')).toHaveText('3');
  await expect(page.getByRole('rowheader').filter({ hasText: 'did not' }).locator('.count')).toHaveText('1');
  await expect(page.locator('.card', { hasText: 'dusk-keen' })).toContainText('3 tagged');

  await page.goto('/stand-ins/handset');
  await page.getByRole('link', { name: /Moya/ }).click();
  await expect(page.locator('ol li.out').last()).toContainText('The dome opens at dusk.');
  await page.getByLabel('Answer as Moya').fill('Yes, two seats & a <b>dog</b>');
  await page.getByRole('button', { name: 'Send' }).click();
  await expect(page.locator('ol li.in').last()).toContainText('Yes, two seats & a <b>dog</b>');
  await page.getByRole('link', { name: 'their page' }).click();
  await expect(page.locator('li.theirs', { hasText: 'Replied' })).toContainText('“Yes, two seats & a <b>dog</b>”');
  await page.goto('/replies');
  await expect(page.getByRole('row', { name: /Moya.*a <b>dog<\/b>/ })).toContainText('Dusk club');
});

test('a month with passers-by moves the figures while one looks', async ({ page }) => {
  await page.goto('/journeys/after-the-first-visit?view=watch');
  const finished = page.locator('.finish b');
  const before = Number((await finished.textContent())?.replace(/\D/g, ''));
  await page.getByRole('button', { name: 'Skip ahead' }).click();
  if (!(await page.getByRole('checkbox', { name: 'Passers-by react meanwhile' }).isChecked()))
    await page.getByText('Passers-by react meanwhile').click();
  await page.getByRole('button', { name: '30 days', exact: true }).click();
  await expect(page.locator('.progress')).toContainText(/\d+ stops/);
  await expect
    .poll(async () => Number((await finished.textContent())?.replace(/\D/g, '')), { timeout: 60_000 })
    .toBeGreaterThan(before);
  await expect(page.getByRole('button', { name: 'Skip ahead' })).toBeVisible({ timeout: 80_000 });
});

test('a skip can be stopped, and the clock stands where it had come to', async ({ page, query }) => {
  await page.goto('/');
  await query(
    `insert into happenings (person_id, name, at, source, data) select id, 'set', practice_now, 'test', '{"addTags":["first-visit"]}' from people, workspace where people.id % 2 = 0`
  );
  await page.getByRole('button', { name: 'Skip ahead' }).click();
  await page.getByRole('button', { name: '30 days', exact: true }).click();
  await page.locator('.progress').getByRole('button', { name: 'Stop' }).click();
  await expect(page.getByRole('button', { name: 'Skip ahead' })).toBeVisible({ timeout: 60_000 });
  const [last] = await query<{ state: string; short: boolean }>(
    `select state, (select practice_now from workspace) < target as short from clock_skips order by id desc limit 1`
  );
  expect(last).toEqual({ state: 'stopped', short: true });
});
