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
  ['People', '/people'],
  ['People, by a tag', '/people?tag=keen&sort=interest&down=1'],
  ['a person', '/people/7'],
  ['import', '/people/import'],
  ['Replies', '/replies'],
  ['Stand-ins', '/stand-ins'],
  ['Postbox', '/stand-ins/postbox'],
  ['a mail', '/stand-ins/postbox/3'],
  ['Handset', '/stand-ins/handset']
];

for (const [name, path] of SCREENS) {
  test(`${name}: axe finds nothing serious, nothing scrolls sideways`, async ({ page }) => {
    for (const width of [1280, 1024]) {
      await page.setViewportSize({ width, height: 800 });
      await page.goto(path);
      await page.getByTestId('clock').waitFor();
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
