/** Ladders and score models as tables: who would stand where, before it is saved; saved, everybody is worked out anew. */
import { expect, test } from './fixtures.ts';

test('a ladder is made, and a rung of it made longer: how many move is said before, and they do', async ({
  page,
  query
}) => {
  await query(
    `insert into people (email, created_at, updated_at) values ('early@rungs.example', '2027-01-01', now()), ('late@rungs.example', '2027-01-01', now())`
  );
  await query(`insert into happenings (person_id, name, at, source, data)
    select id, 'opened', case when email like 'early%' then '2027-01-05'::timestamptz else '2027-01-20' end, 'test', '{"channel": "email"}'
    from people where email like '%@rungs.example'`);
  await expect
    .poll(() =>
      query(`select 1 as n from happenings h join people p on p.id = h.person_id
        where p.email like '%@rungs.example' and h.handled_at is not null`)
    )
    .toHaveLength(2);
  await page.goto('/people');
  await page.getByRole('link', { name: 'Engagement' }).click();
  await page.getByRole('link', { name: 'Make a ladder' }).click();
  await page.getByLabel('Name of the ladder').fill('warmth');
  const where = page.getByRole('region', { name: 'Who stands where' });
  const cell = (rung: string, n: number): Promise<string | null> =>
    where
      .getByRole('row', { name: new RegExp(`^${rung}`) })
      .getByRole('cell')
      .nth(n)
      .textContent();
  const moves = async (): Promise<number> => {
    const save = page.getByRole('button', { name: /^Save: [\d,]+ (person moves|people move)$/ });
    const n = Number(/\d+/.exec((await save.textContent()) ?? '')?.[0]);
    await save.click();
    await expect(page.getByText('“warmth” is saved.')).toBeVisible();
    return n;
  };
  const all = await moves();
  await expect(where.getByRole('status')).toContainText('as it is');
  const stood = async (rung: string): Promise<number> => {
    await page.reload();
    return Number(await cell(rung, 0));
  };
  await expect.poll(async () => (await stood('warm')) + Number(await cell('cooling', 0))).toBe(all);

  const until = page.getByLabel('Rung 1, until');
  await until.fill('nonsense');
  await until.press('Tab');
  await expect(page.getByText('A length, as 14 days or 6 weeks.')).toBeVisible();
  await until.fill('60 days');
  await until.press('Tab');
  // Longer than the rung below it: said, and not to be saved.
  await expect(where.getByRole('alert')).toContainText('ascend');
  await expect(page.getByRole('button', { name: 'Save', exact: true })).toBeDisabled();
  await until.fill('44 days');
  await until.press('Tab');
  await expect(where.getByRole('status')).toContainText('would stand elsewhere');
  const then = Number(await cell('warm', 1));
  expect(await moves()).toBeGreaterThan(0);
  await expect.poll(() => stood('warm')).toBe(then);
  await page.getByRole('button', { name: 'Take it away' }).click();
  await expect(page.getByText('It is gone.')).toBeVisible();
  await query(`delete from people where email like '%@rungs.example'`);
});

test('a score model is made, with its curve and who would have how much; nothing uses it, so it can go', async ({
  page,
  query
}) => {
  await query(`insert into people (email, created_at, updated_at) values ('once@points.example', '2027-01-01', now())`);
  await query(`insert into happenings (person_id, name, at, source, data)
    select p.id, did.name, w.practice_now, 'test', '{"channel": "email"}'
    from people p, workspace w, unnest(array['opened', 'clicked']) as did (name) where p.email = 'once@points.example'`);
  await expect
    .poll(() =>
      query(`select 1 as n from happenings h join people p on p.id = h.person_id
        where p.email = 'once@points.example' and h.handled_at is not null`)
    )
    .toHaveLength(2);
  await page.goto('/people/engagement?kind=score&new');
  await page.getByLabel('Name of the score').fill('curiosity');
  const where = page.getByRole('region', { name: 'Who stands where' });
  await expect(where.getByRole('row', { name: /^1 / })).toBeVisible();
  await expect(page.getByRole('img', { name: /^Points while nothing is added: 100 on day 0/ })).toBeVisible();
  await page.getByLabel('Points, row 2').fill('x');
  await expect(page.getByText('A number.')).toBeVisible();
  await page.getByLabel('Points, row 2').fill('50');
  // Bands are as wide as the highest points ask for, and those are what other tests of this world left on record.
  const highest = async (): Promise<number> =>
    Number(/^\d+ to (\d+)$/.exec((await where.getByRole('rowheader').last().textContent()) ?? '')?.[1] ?? 0);
  await expect.poll(highest).toBeGreaterThanOrEqual(51);
  // What is not saved is asked about.
  page.once('dialog', (dialog) => void dialog.dismiss());
  await page.getByRole('link', { name: 'Make a ladder' }).click();
  await expect(page.getByLabel('Name of the score')).toHaveValue('curiosity');
  await page.getByRole('button', { name: /^Save: / }).click();
  await expect(page.getByText('“curiosity” is saved.')).toBeVisible();
  await expect(page.getByRole('region', { name: 'Used in' })).toContainText('nowhere');
  await page.getByRole('button', { name: 'Take it away' }).click();
  await expect(page.getByText('It is gone.')).toBeVisible();
  for (const [data, status] of [
    [{ kind: 'ladder', definition: { name: 'x' } }, 422],
    [{ kind: 'tower', definition: { name: 'x' } }, 400],
    [{ kind: 'score', definition: 'x' }, 400]
  ] as const) {
    const answer = await page.request.post('/api/people/engagement', {
      data,
      headers: { origin: new URL(page.url()).origin }
    });
    expect(answer.status()).toBe(status);
  }
  await query(`delete from people where email = 'once@points.example'`);
});
