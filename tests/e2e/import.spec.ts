/** A spreadsheet as others write it: what it is taken for, columns and types, the numbers, taking it in and back. */
import { readFileSync } from 'node:fs';
import { expect, test } from './fixtures.ts';

const FILE = [
  'E-Mail;Vorname;Geburtstag;Beitrag;Mitglied;Bemerkung',
  'zoe@import.example;Zoë;2/3/1980;12,50;ja;"=1+1\nzwei Zeilen"',
  'oyvind@import.example;Øyvind;3/4/1981;7,00;nein;',
  'kaputt;Jürgen;4/5/1982;3,25;ja;=HYPERLINK("x")',
  'nadia@import.example;Nadia;31/2/1983;1,00;ja;'
].join('\r\n');

test('brings a spreadsheet: says what it took it for, asks what it cannot know, counts, takes in and back', async ({
  page,
  query
}) => {
  await page.goto('/people/import');
  await page
    .locator('input[type=file]')
    .setInputFiles({ name: 'messe.csv', mimeType: 'text/csv', buffer: Buffer.from(FILE, 'latin1') });
  await expect(page.getByLabel('Written in')).toHaveValue('windows-1252');
  await expect(page.getByLabel('Cells parted by')).toHaveValue(';');
  await expect(page.getByLabel('E-Mail is')).toHaveValue('email');
  await expect(page.getByLabel('Vorname is')).toHaveValue('first_name');
  await expect(page.getByLabel('Type of Beitrag')).toHaveValue('number');
  await expect(page.getByLabel('Decimals of Beitrag')).toHaveValue(',');
  await expect(page.getByLabel('Type of Mitglied')).toHaveValue('yesno');
  await expect(page.getByText('Zoë · Øyvind · Jürgen')).toBeVisible();

  // Which is the day cannot be told from these: asked, not guessed.
  await page.getByLabel('Type of Geburtstag').selectOption('date');
  const question = page.getByText('“Geburtstag”: is the day or the month first?');
  await expect(question).toBeVisible();
  await page.getByLabel('Dates of Geburtstag').selectOption('day first');
  await expect(question).toBeHidden();
  await expect(page.getByTestId('refused')).toHaveText('2');
  await expect(page.getByRole('table', { name: 'Why rows are refused' })).toContainText(
    'Geburtstag: not a date, day first'
  );

  // In another encoding it reads otherwise; taken back it is as before.
  await page.getByLabel('Written in').selectOption('windows-1251');
  await expect(page.getByText('Zoл')).toBeVisible();
  await page.getByLabel('Written in').selectOption('windows-1252');
  await expect(page.getByText('Zoë · Øyvind · Jürgen')).toBeVisible();
  await page.getByLabel('Type of Geburtstag').selectOption('date');
  await page.getByLabel('Dates of Geburtstag').selectOption('day first');

  await page.getByLabel('Values that do not fit').selectOption('leave out');
  await expect(page.getByText('1 value does not fit, like “31/2/1983”')).toBeVisible();
  await page.getByLabel('Tags for everybody').fill('messe');
  await page.keyboard.press('Tab');
  await page.getByRole('button', { name: 'Import 3 people: 3 new, 0 changed' }).click();
  await expect(page.getByRole('heading', { name: 'Imported' })).toBeVisible();
  expect(
    await query(`select p.email, p.first_name, p.fields, t.tag from people p left join person_tags t on t.person_id = p.id
      where p.email like '%@import.example' order by p.email`)
  ).toEqual([
    { email: 'nadia@import.example', first_name: 'Nadia', fields: { beitrag: 1, mitglied: true }, tag: 'messe' },
    {
      email: 'oyvind@import.example',
      first_name: 'Øyvind',
      fields: { beitrag: 7, mitglied: false, geburtstag: '1981-04-03' },
      tag: 'messe'
    },
    {
      email: 'zoe@import.example',
      first_name: 'Zoë',
      fields: { beitrag: 12.5, mitglied: true, geburtstag: '1980-03-02', bemerkung: '=1+1\nzwei Zeilen' },
      tag: 'messe'
    }
  ]);
  const saving = page.waitForEvent('download');
  await page.getByRole('link', { name: /Save the 1 refused row as CSV/ }).click();
  expect(readFileSync(await (await saving).path(), 'utf8')).toContain(
    `kaputt,Jürgen,4/5/1982,"3,25",ja,"'=HYPERLINK(""x"")",5,E-Mail: not an email address`
  );

  // The next file of this shape is read as this one was; who is known only gets what is missing.
  await page.goto('/people/import');
  await page.locator('input[type=file]').setInputFiles({
    name: 'messe-2.csv',
    mimeType: 'text/csv',
    buffer: Buffer.from(
      'e-mail;vorname;geburtstag;beitrag;mitglied;bemerkung\noyvind@import.example;Oyvind;3/4/1981;8,00;nein;wieder da\nneu@import.example;Neu;5/6/1990;2,00;ja;\n'
    )
  });
  await expect(page.getByText(/^Matched as the last file with these columns/)).toBeVisible();
  await expect(page.getByTestId('outlook')).toHaveText(/new\s*1\s*changed\s*1\s*unchanged\s*0\s*refused\s*0/);
  await expect(page.getByRole('row', { name: 'beitrag 0 1' })).toBeVisible();
  await page.getByLabel('People who are known already').selectOption('fill');
  await expect(page.getByRole('row', { name: 'beitrag 0 1' })).toBeHidden();
  await expect(page.getByRole('row', { name: 'bemerkung 1 0' })).toBeVisible();
  await page.getByRole('button', { name: 'Import 2 people: 1 new, 1 changed' }).click();
  await expect(page.getByRole('heading', { name: 'Imported' })).toBeVisible();
  await expect
    .poll(() => query(`select fields ->> 'bemerkung' as note from people where email = 'oyvind@import.example'`))
    .toEqual([{ note: 'wieder da' }]);

  await page.getByRole('button', { name: 'Take it back …' }).click();
  await expect(page.getByText(/1 person whom it made goes, 1 changed one is as before/)).toBeVisible();
  await page.getByRole('button', { name: 'Take it back', exact: true }).click();
  await expect(page.getByRole('heading', { name: 'Taken back' })).toBeVisible();
  await expect(page.getByTestId('undone')).toContainText('1 person it made is gone, 1 person is as before');
  await expect
    .poll(() =>
      query(`select email, fields ->> 'bemerkung' as note from people where email like '%@import.example' order by 1`)
    )
    .toEqual([
      { email: 'nadia@import.example', note: null },
      { email: 'oyvind@import.example', note: null },
      { email: 'zoe@import.example', note: '=1+1\nzwei Zeilen' }
    ]);
  await page.goto('/people/import');
  await expect(page.getByRole('row', { name: /messe-2\.csv/ })).toContainText('taken back');
});

test('a file without names of columns is read by what is in it', async ({ page }) => {
  await page.goto('/people/import');
  await page.locator('input[type=file]').setInputFiles({
    name: 'bare.csv',
    mimeType: 'text/csv',
    buffer: Buffer.from('ann@bare.example\tAnn\t+447712345678\nbob@bare.example\tBob\t\n', 'utf16le')
  });
  await expect(page.getByLabel('Written in')).toHaveValue('utf-16le');
  await expect(page.getByLabel('Cells parted by')).toHaveValue('\t');
  await expect(page.getByRole('checkbox', { name: 'The first line names the columns' })).not.toBeChecked();
  await expect(page.getByLabel('Column 1 is')).toHaveValue('email');
  await expect(page.getByLabel('Column 3 is')).toHaveValue('phone');
  await page.getByLabel('Column 2 is').selectOption('first_name');
  await expect(page.getByRole('button', { name: 'Import 2 people: 2 new, 0 changed' })).toBeEnabled();
});

test('a new field of choices: what it may be is what stands in the file, until somebody says otherwise', async ({
  page,
  query
}) => {
  await page.goto('/people/import');
  await page.locator('input[type=file]').setInputFiles({
    name: 'passes.csv',
    mimeType: 'text/csv',
    buffer: Buffer.from(
      'email,pass kind\na@passes.example,gold\nb@passes.example,silver\nc@passes.example,Gold\nd@passes.example,slver\n'
    )
  });
  await page.getByLabel('Type of pass kind').selectOption('choice');
  const may = page.getByLabel('What pass kind may be, with ;');
  await expect(may).toHaveValue('gold; silver; slver');
  await may.fill('gold; silver; bronze');
  await may.press('Tab');
  await expect(page.getByTestId('refused')).toHaveText('1');
  await page.getByLabel('Values that do not fit').selectOption('leave out');
  await expect(page.getByText('1 value does not fit, like “slver”')).toBeVisible();
  await page.getByRole('button', { name: 'Import 4 people: 4 new, 0 changed' }).click();
  await expect(page.getByRole('heading', { name: 'Imported' })).toBeVisible();
  expect(
    await query(`select f.value -> 'options' as options from workspace, jsonb_array_elements(settings -> 'fields') as f (value)
      where f.value ->> 'name' = 'pass_kind'`)
  ).toEqual([{ options: ['gold', 'silver', 'bronze'] }]);
  expect(
    await query(`select fields ->> 'pass_kind' as kind from people where email like '%@passes.example' order by email`)
  ).toEqual([{ kind: 'gold' }, { kind: 'silver' }, { kind: 'gold' }, { kind: null }]);
});
