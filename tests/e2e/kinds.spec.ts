/** Every kind of step is put on the sheet by its first letters, filled in by its form, and stands in the draft as it was meant. */
import type { Page } from '@playwright/test';
import { expect, test } from './fixtures.ts';

test.describe.configure({ mode: 'serial', timeout: 60_000 });

const KEY = 'every-kind';
const DRAFT = {
  format: 'ambulo.journey/1',
  key: KEY,
  name: 'Every kind',
  entry: { on: [{ happening: 'tag_added', tag: 'first-visit' }] },
  lane: [{ key: 'ask', kind: 'email', subject: 'Will you come?', text: 'See https://quillmoor.example/seats' }]
};
interface Drafted {
  key: string;
  kind: string;
}

/** Puts a step at the end of the main lane. */
async function put(page: Page, letters: string): Promise<void> {
  await page.getByRole('treegrid').focus();
  await page.keyboard.press('End');
  await page.keyboard.type(letters[0]!);
  await page.keyboard.type(letters.slice(1));
  await page.keyboard.press('Enter');
}

test('a nurture: listen for a click or an answer, a task that is awaited, and all that a step can do', async ({
  page,
  query
}) => {
  await query(
    `insert into journeys (key, name, folder, draft, draft_saved_at, created_at, created_by)
     values ($1, 'Every kind', '', $2, now(), now(), 'test')`,
    [KEY, JSON.stringify(DRAFT)]
  );
  const saved = async (): Promise<Drafted[]> =>
    (await query<{ lane: Drafted[] }>(`select draft -> 'lane' as lane from journeys where key = $1`, [KEY]))[0]!.lane;
  const step = (kind: string) => expect.poll(async () => (await saved()).find((s) => s.kind === kind));
  await page.goto(`/journeys/${KEY}`);
  await page.getByTestId('clock').waitFor();
  const panel = page.getByRole('complementary', { name: 'Selected' });

  await put(page, 'listen');
  await panel.getByLabel('Wait at most').fill('2d');
  await panel.getByLabel('Wait at most').press('Tab');
  await panel.getByLabel('This link only').fill('https://quillmoor.example/seats');
  await panel.getByRole('button', { name: 'Listen for something else as well' }).click();
  await panel.getByLabel('Lane 2').fill('answered');
  await panel.getByLabel('What happens').nth(1).selectOption('replied');
  await panel.getByLabel('With one of these words').fill('yes, count me in');
  await panel.getByLabel('With one of these words').press('Tab');
  await panel.getByLabel('Not in time').fill('said nothing');
  await step('listen').toMatchObject({
    for: [
      { when: { happening: 'clicked', of: 'ask', link: 'https://quillmoor.example/seats' } },
      { label: 'answered', when: { happening: 'replied', of: 'ask', matches: ['yes', 'count me in'] } }
    ],
    limit: 'P2D',
    otherwise: { label: 'said nothing' }
  });
  await expect(page.locator('.card[data-key="listen"]')).toBeVisible();

  await put(page, 'task');
  await panel.getByLabel('Title').fill('Ring them');
  await panel.getByLabel('What it is').selectOption('call');
  await panel.getByText('They wait here until it is done').click();
  await panel.getByLabel('Due after').fill('1d');
  await panel.getByLabel('Due after').press('Tab');
  await step('task').toMatchObject({ title: 'Ring them', what: 'call', due: 'P1D', await: { limit: 'P3D' } });

  await put(page, 'split');
  await panel.getByLabel('Share').first().fill('30');
  await panel.getByText('Later ones take the lane that did best').click();
  await step('split').toMatchObject({
    lanes: [{ weight: 30 }, { weight: 50 }],
    winner: { by: 'opened', after: { people: 500 } }
  });

  await put(page, 'field');
  await panel.getByRole('combobox', { name: 'Field', exact: true }).fill('last_asked');
  await panel.getByLabel('What becomes of it').selectOption('now');
  await step('field').toMatchObject({ set: { last_asked: { now: true } } });

  await put(page, 'notify');
  await panel.getByLabel('What they are told').fill('Look at them');
  await step('notify').toMatchObject({ to: 'owner', text: 'Look at them' });

  await put(page, 'call');
  await panel.getByLabel('Web address').fill('quillmoor');
  await expect(panel.getByText('A web address begins with http:// or https://')).toBeVisible();
  await panel.getByLabel('Web address').fill('https://quillmoor.example/seats');
  await panel.getByLabel('What is posted').fill('{ "what": "seat" }');
  await expect(panel.locator('pre')).toContainText('"what": "seat"');
  await expect(panel.locator('pre')).toContainText('@people.example');
  await step('call').toMatchObject({ url: 'https://quillmoor.example/seats', data: { what: 'seat' } });

  await put(page, 'consent');
  await panel.getByLabel('Consent for').selectOption('sms');
  await panel.getByLabel('What happens to it').selectOption('pending');
  await step('consent').toMatchObject({ channel: 'sms', state: 'pending' });

  await put(page, 'list');
  await panel.getByLabel('Put on the lists').fill('news');
  await step('list').toMatchObject({ add: ['news'] });

  await put(page, 'hand');
  await panel.getByLabel('They enter the journey').selectOption('after-the-first-visit');
  await panel.getByText('and stay in this one as well').click();
  await step('handover').toMatchObject({ journey: 'after-the-first-visit', stay: true });

  await put(page, 'withdraw');
  await panel.getByText('All other journeys').click();
  await step('withdraw').toMatchObject({ from: [expect.any(String)] });

  await put(page, 'loop');
  await panel.getByLabel('Back to').selectOption('ask');
  await panel.getByLabel('At most so many times').fill('2');
  await step('loop').toMatchObject({ to: 'ask', atMost: 2 });

  await put(page, 'leave');
  await panel.getByLabel('Reason').fill('asked enough');
  await step('leave').toMatchObject({ reason: 'asked enough' });

  // Undone one by one, and done again: nothing is half of something.
  await page.getByRole('treegrid').focus();
  for (let n = 0; n < 3; n++) await page.keyboard.press('Control+z');
  for (let n = 0; n < 3; n++) await page.keyboard.press('Shift+Control+z');
  await step('leave').toMatchObject({ reason: 'asked enough' });
  await query('delete from journeys where key = $1', [KEY]);
});
