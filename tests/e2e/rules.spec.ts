/** What a journey goes by: dates and timetables, rules of any depth with how many meet them, bands and values, hours. */
import type { Locator, Page } from '@playwright/test';
import { expect, test } from './fixtures.ts';

test.describe.configure({ timeout: 60_000 });

const KEY = 'before-the-visit';
type Query = <T extends object>(sql: string, values?: unknown[]) => Promise<T[]>;
interface Drafted {
  entry: object;
  goal?: object;
  hours?: object;
  lane: { key: string; kind: string }[];
}

async function open(page: Page, query: Query, draft: object): Promise<{ panel: Locator; sheet: Locator }> {
  await query('delete from journeys where key = $1', [KEY]);
  await query(
    `insert into journeys (key, name, folder, draft, draft_saved_at, created_at, created_by)
     values ($1, 'Before the visit', '', $2, now(), now(), 'test')`,
    [KEY, JSON.stringify({ format: 'ambulo.journey/1', key: KEY, name: 'Before the visit', lane: [], ...draft })]
  );
  await page.goto(`/journeys/${KEY}`);
  await page.getByTestId('clock').waitFor();
  return { panel: page.getByRole('complementary', { name: 'Selected' }), sheet: page.getByRole('treegrid') };
}
const draftOf = async (query: Query): Promise<Drafted> =>
  (await query<{ draft: Drafted }>('select draft from journeys where key = $1', [KEY]))[0]!.draft;

async function put(page: Page, letters: string): Promise<void> {
  await page.getByRole('treegrid').focus();
  await page.keyboard.press('End');
  await page.keyboard.type(letters);
  await page.keyboard.press('Enter');
}
const fill = async (box: Locator, text: string): Promise<void> => {
  await box.fill(text);
  await box.press('Tab');
};

test('a reminder before a date: the ruler counts from it, and waits are typed as they are said', async ({
  page,
  query
}) => {
  const { panel, sheet } = await open(page, query, {});
  await sheet.getByRole('button', { name: /^Everyone/ }).click();
  await fill(panel.getByLabel('On a date'), 'fri 9:00');
  await expect(panel.getByText('this is no date')).toBeVisible();
  await fill(panel.getByLabel('On a date'), '10d before visit_date 9:00');
  await put(page, 'email');
  await put(page, '2d before visit_date 9:00');
  await put(page, 'text');
  await put(page, 'on visit_date');
  await put(page, 'email');
  await put(page, '3d after visit_date');
  await put(page, 'email');
  // Long before what has passed by then.
  await put(page, '12d before visit_date');
  await put(page, 'tag');
  await expect(sheet.locator('.moment strong')).toHaveText([
    '10 days before, 9:00',
    '2 days before, 9:00',
    'The day',
    '3 days after'
  ]);
  await expect(sheet.getByRole('button', { name: 'Wait until 2 d before, 09:00' })).toBeVisible();
  await expect(sheet.getByRole('button', { name: 'Wait until 12 d before, passed' })).toBeVisible();
  await expect
    .poll(async () => (await draftOf(query)).entry)
    .toMatchObject({
      date: { field: 'visit_date', offset: '-P10D', time: '09:00' }
    });
  await expect
    .poll(async () => (await draftOf(query)).lane.filter((s) => s.kind === 'wait'))
    .toMatchObject([
      { until: { field: 'visit_date', offset: '-P2D', time: '09:00' } },
      { until: { field: 'visit_date' } },
      { until: { field: 'visit_date', offset: 'P3D' } },
      { until: { field: 'visit_date', offset: '-P12D' } }
    ]);
  // Typed over, it stays the wait it was, with what becomes of those who are late.
  await sheet.getByRole('button', { name: 'Wait until 2 d before, 09:00' }).click();
  await panel.getByLabel('has passed, or has none,').selectOption('leave');
  await fill(panel.getByLabel('Wait', { exact: true }), 'fri 16:00 + 1d');
  await expect(sheet.getByRole('button', { name: 'Wait until Fri 16:00 + 1 d' })).toBeVisible();
  await page.keyboard.press('Control+z');
  await expect(sheet.getByRole('button', { name: 'Wait until 2 d before, 09:00' })).toBeVisible();
  await expect
    .poll(async () => (await draftOf(query)).lane.find((s) => s.kind === 'wait'))
    .toMatchObject({
      until: { past: 'leave' }
    });
  await sheet.getByRole('button', { name: 'Wait until 2 d before, 09:00' }).click();
  await fill(panel.getByLabel('Wait', { exact: true }), '2x');
  await expect(panel.getByText('type a length such as 2d')).toBeVisible();
});

test('bands by cut points and lanes by the values that people have', async ({ page, query }) => {
  const { panel } = await open(page, query, { entry: { on: [{ happening: 'tag_added', tag: 'keen' }] } });
  await put(page, 'branch');
  await panel.getByLabel('People are told apart by').selectOption('bands');
  await fill(panel.getByLabel('In the last'), '1y');
  await fill(panel.getByLabel('Cut at'), '200, 50');
  const lanes = page.getByRole('rowheader');
  await expect(lanes).toContainText(['Everyone', 'under 50', '50 to under 200', '200 or more']);
  // By the keys, a cut moves, and stops short of its neighbour.
  await panel.getByRole('slider', { name: 'Cut point 1' }).press('ArrowRight');
  await expect(lanes).toContainText(['under 51', '51 to under 200']);
  await fill(panel.getByLabel('Cut at'), 'a, b');
  await expect(panel.getByText('type numbers with commas')).toBeVisible();
  await expect
    .poll(async () => (await draftOf(query)).lane[0])
    .toMatchObject({
      by: 'bands',
      of: { spent: true, last: 'P1Y' },
      cuts: [51, 200],
      lanes: [{ label: 'under 51' }, { label: '51 to under 200' }, { label: '200 or more' }]
    });
  await panel.getByLabel('The number is').selectOption('field');
  await expect(lanes).toContainText(['no value']);

  await put(page, 'branch');
  await panel.getByLabel('People are told apart by').selectOption('values');
  await panel.getByRole('button', { name: 'A lane for each of its 3 values' }).click();
  await expect(panel.getByText(/^\d+ people have it$/).first()).toBeVisible();
  await expect
    .poll(async () => (await draftOf(query)).lane[1])
    .toMatchObject({
      by: 'values',
      of: { field: 'language' },
      lanes: [{ values: ['English'] }, {}, {}],
      otherwise: { label: 'everyone else' }
    });
});

test('people get in by what they did with a message of another journey', async ({ page, query }) => {
  const { panel, sheet } = await open(page, query, { lane: [{ key: 'x', kind: 'tag', add: ['x'] }] });
  await sheet.getByRole('button', { name: /^Everyone/ }).click();
  await panel.getByRole('button', { name: 'Or when something else happens' }).click();
  await panel.getByLabel('What happens').selectOption('opened');
  await panel.getByLabel('Of which journey').selectOption('after-the-first-visit');
  await panel.getByLabel('Which message').selectOption({ label: 'Thank you' });
  await expect
    .poll(() => draftOf(query))
    .toMatchObject({ entry: { on: [{ happening: 'opened', journey: 'after-the-first-visit', of: 'thank-you' }] } });
  await expect(page.getByRole('button', { name: /^Those who opened|^Entry Those who/ }).first()).toBeVisible();
});

test('the rules of the journey in one panel, typed and counted', async ({ page, query }) => {
  const { panel, sheet } = await open(page, query, {
    lane: [{ key: 'hello', kind: 'email', subject: 'Hello', text: 'Hello' }]
  });
  await sheet.getByRole('button', { name: /^Everyone/ }).click();
  await panel.getByRole('button', { name: 'Or when something else happens' }).click();
  await panel.getByLabel('What happens').selectOption('list_joined');
  await panel.getByRole('combobox', { name: 'List' }).fill('friends');
  await fill(panel.getByLabel('On a timetable'), 'mon, thu 12:00');
  await panel.getByRole('button', { name: 'Add a rule for entering' }).click();
  const typed = panel.getByLabel('Type a rule').first();
  await typed.fill('tag is mem');
  await expect(panel.getByRole('option', { name: 'tag is member' })).toBeVisible();
  await typed.press('Enter');
  await typed.fill('(visits > 1 or not town is Perth');
  await typed.press('Enter');
  await expect(panel.getByText('a parenthesis is not closed')).toBeVisible();
  await typed.fill('(visits > 1 or not town is Perth)');
  await typed.press('Enter');
  // The whole, and each part alone.
  const [{ n, of } = { n: 0, of: 0 }] = await query<{ n: number; of: number }>(
    `select count(*)::int as n, (select count(*)::int from people) as of from people p where exists (select from consents c where c.person_id = p.id and c.channel = 'email' and c.state = 'given')
       and exists (select from person_tags t where t.person_id = p.id and t.tag = 'member')
       and ((p.fields ->> 'visits')::numeric > 1 or lower(coalesce(p.fields ->> 'town', '')) <> 'perth')`
  );
  await expect(panel.getByText(new RegExp(`^${n} (person|people) of ${of} now`))).toBeVisible();
  await panel.getByLabel('How often').selectOption('again');
  await panel.getByRole('button', { name: 'Say what it is for' }).click();
  await panel.getByLabel('Goal: what it goes by').selectOption('happens');
  await panel.getByRole('button', { name: 'Or when something else happens' }).last().click();
  await fill(panel.getByLabel('Counts within'), '30d');
  await fill(panel.getByLabel('Held out'), '10');
  await panel.getByRole('button', { name: 'Add a leave rule' }).click();
  await panel.getByRole('combobox', { name: 'Tag', exact: true }).last().fill('staff');
  await fill(panel.getByLabel('for the reason'), 'one of us');
  await fill(panel.getByLabel('Idle limit'), '90d');
  await panel.getByText('Messages go out at certain hours only').click();
  // From Tuesday 10:00 over to Thursday 15:00.
  const week = panel.getByRole('table', { name: 'The hours of a week' });
  await week.getByTitle('Tue 10:00').scrollIntoViewIfNeeded();
  await week.getByTitle('Tue 10:00').hover();
  await page.mouse.down();
  await week.getByTitle('Thu 15:00').hover();
  await page.mouse.up();
  await fill(panel.getByLabel('Not on these days'), '2027-12-25, Easter');
  await expect(panel.getByText('Easter is no date')).toBeVisible();
  await fill(panel.getByLabel('Not on these days'), '2027-12-25');
  await expect
    .poll(() => draftOf(query))
    .toMatchObject({
      entry: {
        on: [{ happening: 'list_joined', list: 'friends' }],
        timetable: { weekdays: ['mon', 'thu'], time: '12:00' },
        where: {
          all: [
            { consent: 'email' },
            { tag: 'member' },
            { any: [{ field: 'visits', gt: 1 }, { not: { field: 'town', is: 'Perth' } }] }
          ]
        },
        holdOut: 10
      },
      goal: {
        when: [
          { happening: 'clicked', of: 'hello' },
          { happening: 'clicked', of: 'hello' }
        ],
        within: 'P30D'
      },
      leaveWhen: [{ when: { tag: 'staff' }, reason: 'one of us' }],
      idle: 'P90D',
      hours: { days: ['tue', 'wed', 'thu'], from: '10:00', to: '16:00', except: ['2027-12-25'] }
    });
  await query('delete from journeys where key = $1', [KEY]);
});
