/** Saved segments: who is in them, drawn over time, beside another, frozen into a list. */
import { expect, test } from './fixtures.ts';

test('a segment is looked at over time, beside another, and frozen into a list', async ({ page, query }) => {
  test.setTimeout(90_000);
  const [{ settings } = { settings: null }] = await query<{ settings: { segments?: object[] } | null }>(
    'select settings from workspace'
  );
  const segments = [
    { name: 'tagged members', when: { tag: 'member' } },
    { name: 'first visitors', when: { tag: 'first-visit' } }
  ];
  await query(
    'update workspace set settings = $1, settings_revision = settings_revision + 1, segments_revision = segments_revision + 1',
    [
      JSON.stringify({
        format: 'ambulo.settings/1',
        ...settings,
        segments: [...(settings?.segments ?? []), ...segments]
      })
    ]
  );
  await query(
    `insert into person_segments select person_id, 'tagged members', now() from person_tags where tag = 'member' on conflict do nothing`
  );
  await query(
    `insert into person_segments select person_id, 'first visitors', now() from person_tags where tag = 'first-visit' on conflict do nothing`
  );
  const [{ n, both } = { n: 0, both: 0 }] = await query<{ n: number; both: number }>(
    `select count(*)::int as n, (count(*) filter (where exists (select from person_tags o where o.person_id = t.person_id and o.tag = 'first-visit')))::int as both
     from person_tags t where tag = 'member'`
  );
  await page.goto('/people');
  await page.getByRole('link', { name: 'Segments' }).click();
  await page.getByRole('table', { name: 'Saved segments' }).getByRole('link', { name: 'tagged members' }).click();
  const one = page.getByRole('region', { name: 'tagged members' });
  await expect(one.getByRole('heading', { level: 2 })).toContainText(`${n} people`);
  await expect(one.getByRole('img', { name: /Members day by day: / })).toBeVisible();
  await expect(one.getByTestId('age')).toContainText(/As of now|held against it/);
  await one.getByLabel('Beside').selectOption('first visitors');
  await expect(page.getByTestId('compared')).toContainText(`both ${both}`);
  await one.getByLabel('Freeze it into the list').fill('members of today');
  await one.getByRole('button', { name: `Put ${n} people on it` }).click();
  await expect(one.getByRole('status')).toContainText('They are being put on “members of today”');
  await expect
    .poll(
      async () =>
        (await query<{ n: number }>(`select count(*)::int as n from person_lists where list = 'members of today'`))[0]
          ?.n,
      { timeout: 30_000 }
    )
    .toBe(n);
  await query('update workspace set settings = $1, settings_revision = settings_revision + 1', [
    JSON.stringify(settings)
  ]);
  await query(`delete from person_segments where segment in ('tagged members', 'first visitors')`);
});
