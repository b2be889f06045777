/** Every screen: nothing serious by axe, no sideways scroll, found by name. */
import AxeBuilder from '@axe-core/playwright';
import { expect, test } from './fixtures.ts';

const SCREENS: [string, string][] = [
  ['Today', '/'],
  ['Journeys', '/journeys'],
  ['route sheet, Plan', '/journeys/after-the-first-visit?step=second-look'],
  ['route sheet, a branch', '/journeys/after-the-first-visit?step=opened-it'],
  ['route sheet, the journey', '/journeys/membership-runs-out'],
  ['route sheet, Watch', '/journeys/after-the-first-visit?view=watch'],
  ['review', '/journeys/open-evening/review'],
  ['versions', '/journeys/after-the-first-visit/versions'],
  ['starters', '/journeys/starters'],
  ['People', '/people'],
  ['People, by a tag', '/people?tag=keen&sort=interest&down=1'],
  ['People, by a rule', '/people?where=%7B%22tag%22%3A%22keen%22%7D'],
  ['a person', '/people/7'],
  ['tags, lists and fields', '/people/names?kind=tag&name=keen'],
  ['segments', '/people/segments'],
  ['import', '/people/import'],
  ['Replies', '/replies'],
  ['suppressed addresses', '/people/suppressed'],
  ['set aside', '/set-aside'],
  ['Stand-ins', '/stand-ins'],
  ['Postbox', '/stand-ins/postbox'],
  ['a mail', '/stand-ins/postbox/3'],
  ['Handset', '/stand-ins/handset'],
  ['a page that is not there', '/journeys/not-there'],
  ['a person who is not there', '/people/999999999']
];

for (const [name, path] of SCREENS) {
  test(`${name}: axe finds nothing serious, nothing scrolls sideways`, async ({ page }) => {
    for (const width of [1280, 1024]) {
      await page.setViewportSize({ width, height: 800 });
      await page.goto(path);
      await page.getByTestId('clock').waitFor();
      await expect(page.getByRole('main')).toHaveCount(1);
      await expect(page.getByRole('heading', { level: 1 })).toHaveCount(1);
      const overflow = await page.evaluate(
        () => document.documentElement.scrollWidth - document.documentElement.clientWidth
      );
      expect(overflow).toBeLessThanOrEqual(0);
    }
    // The mail's own HTML is the sender's, shown in a frame without scripts.
    const { violations } = await new AxeBuilder({ page }).exclude('iframe').analyze();
    expect(
      violations
        .filter((v) => v.impact === 'serious' || v.impact === 'critical')
        .map(
          (v) =>
            `${v.id}: ${v.nodes
              .map((n) => n.html)
              .slice(0, 3)
              .join(' | ')}`
        )
    ).toEqual([]);
  });
}

test.describe('without an account', () => {
  test.use({ signedIn: false });
  test('sign-in: axe finds nothing serious; a wrong password is told, many are stopped', async ({ page }) => {
    await page.goto('/people?q=ada');
    await expect(page).toHaveURL(/\/sign-in\?to=%2Fpeople%3Fq%3Dada/);
    const { violations } = await new AxeBuilder({ page }).analyze();
    expect(violations.filter((v) => v.impact === 'serious' || v.impact === 'critical')).toEqual([]);
    await page.getByLabel('Email').fill('someone@quillmoor.example');
    for (let i = 0; i < 10; i++) {
      await page.getByLabel('Password').first().fill('wrong');
      await page.getByRole('button', { name: 'Sign in' }).click();
      await expect(page.getByRole('alert')).toHaveText('That email and password do not belong together.');
    }
    await page.getByLabel('Password').first().fill('wrong');
    await page.getByRole('button', { name: 'Sign in' }).click();
    await expect(page.getByRole('alert')).toHaveText(/Too many tries/);
    await page.getByLabel('Email').fill('nuala@quillmoor.example');
    await page.getByLabel('Password').first().fill('dome-at-dusk');
    await page.getByRole('button', { name: 'Sign in' }).click();
    await expect(page).toHaveURL(/\/people\?q=ada$/);
  });
});

test('find anything goes to a step, a person, a tag', async ({ page }) => {
  await page.goto('/');
  await page.getByTestId('clock').waitFor();
  await expect(async () => {
    await page.keyboard.press('Control+k');
    await expect(page.getByRole('combobox')).toBeFocused({ timeout: 500 });
  }).toPass();
  await page.keyboard.type('second look');
  await expect(page.getByRole('option', { name: /Second look/ })).toBeVisible();
  await page.keyboard.press('Enter');
  await expect(page.getByRole('heading', { name: 'Second look' })).toBeVisible();
});

test('a click is never lost to figures that change at that very moment', async ({ page, query }) => {
  await page.goto('/journeys');
  await page.getByTestId('clock').waitFor();
  let going = true;
  const storm = (async () => {
    while (going) await query(`select pg_notify('ambulo', 'changed'), pg_sleep(0.01)`);
  })();
  try {
    for (let round = 0; round < 4; round++) {
      for (const [name, path] of [
        ['People', '/people'],
        ['Replies', '/replies'],
        ['Journeys', '/journeys']
      ] as const) {
        await page.getByRole('navigation', { name: 'Main' }).getByRole('link', { name, exact: true }).click();
        await expect(page).toHaveURL(new RegExp(`${path}$`));
        await expect(page.getByRole('heading', { level: 1, name })).toBeVisible();
      }
    }
  } finally {
    going = false;
    await storm;
  }
});

test('figures on an open page follow what happens elsewhere, without reloading', async ({ page, query }) => {
  await query(
    `insert into people (email, fields, created_at, updated_at) values ('live@people.example', '{}', now(), now())`
  );
  const [person] = await query<{ id: string }>(`select id from people where email = 'live@people.example'`);
  await page.goto(`/people/${person!.id}`);
  await page.getByTestId('clock').waitFor();
  await page.evaluate(() => ((window as unknown as { mark: number }).mark = 1));
  await query(
    `insert into happenings (person_id, name, at, source, data)
     select $1, 'set', practice_now, 'elsewhere', '{"addTags": ["seen-live"]}' from workspace`,
    [person!.id]
  );
  await query(`select pg_notify('ambulo', 'inbox')`);
  await expect(page.getByText('seen-live').first()).toBeVisible();
  expect(await page.evaluate(() => (window as unknown as { mark: number }).mark)).toBe(1);
});

test('every page says where one is, and the way back works', async ({ page }) => {
  await page.goto('/');
  await page.getByTestId('clock').waitFor();
  const main = page.getByRole('navigation', { name: 'Main' });
  for (const name of ['Journeys', 'People', 'Replies', 'Stand-ins', 'Today']) {
    await main.getByRole('link', { name, exact: true }).click();
    await expect(main.getByRole('link', { name, exact: true })).toHaveAttribute('aria-current', 'page');
    await expect(page).toHaveTitle(new RegExp(`^${name} · Ambulo$`));
  }
  await page.goBack();
  await expect(page).toHaveTitle('Stand-ins · Ambulo');
});
