/** What the outside may and may not do: tokens, webhooks, other sites, people without an account. */
import { createHmac } from 'node:crypto';
import { expect, test } from './fixtures.ts';

test.use({ signedIn: false });

const count = `select (select count(*) from happenings) + (select count(*) from stray_texts) as n`;

async function aToken(query: (sql: string) => Promise<Record<string, unknown>[]>, kind: 'l' | 'u'): Promise<string> {
  const [row] = await query(
    `select body from messages where channel = 'email' and state = 'sent' and body like '%/l/%' order by id limit 1`
  );
  return new RegExp(`/${kind}/([\\w-]+)`).exec(String(row?.['body']))?.[1] ?? '';
}

test('a forged, truncated or foreign token is not found, and nothing is recorded', async ({ request, query }) => {
  const [before] = await query(count);
  const link = await aToken(query, 'l');
  const flipped = (link[0] === 'A' ? 'B' : 'A') + link.slice(1);
  for (const path of [
    `/l/${link.slice(0, -1)}`,
    `/l/${flipped}`,
    `/o/${link}`,
    `/u/${link}`,
    '/l/x',
    `/o/${'A'.repeat(24)}`
  ]) {
    expect((await request.get(path, { maxRedirects: 0 })).status(), path).toBe(404);
  }
  expect((await request.post(`/u/${link}`, { form: { 'List-Unsubscribe': 'One-Click' } })).status()).toBe(404);
  expect(await query(count)).toEqual([before]);
});

test('a link leads where the message’s own link led, and is recorded once a minute', async ({ request, query }) => {
  const link = await aToken(query, 'l');
  const first = await request.get(`/l/${link}`, { maxRedirects: 0 });
  expect(first.status()).toBe(302);
  expect(first.headers()['location']).toMatch(/^https:\/\/quillmoor\.example\//);
  const [after] = await query(count);
  await request.get(`/l/${link}`, { maxRedirects: 0 });
  expect(await query(count)).toEqual([after]);
});

test('one-click unsubscribe posts from anywhere; a GET changes nothing', async ({ request, query }) => {
  const token = await aToken(query, 'u');
  const [before] = await query(count);
  expect((await request.get(`/u/${token}`)).status()).toBe(200);
  expect(await query(count)).toEqual([before]);
  const response = await request.post(`/u/${token}`, {
    form: { 'List-Unsubscribe': 'One-Click' },
    headers: { origin: 'https://mail.example' }
  });
  expect(response.status()).toBe(200);
  const [last] = await query<{ name: string }>(
    `select name from happenings where source = 'tracking' order by id desc limit 1`
  );
  expect(last).toEqual({ name: 'unsubscribed' });
});

test('an inbound text needs the gateway’s signature; one from an unknown number is kept', async ({
  request,
  query
}) => {
  const body = JSON.stringify({ id: 'outside-1', from: '+447700900999', to: 'Quillmoor', text: 'Who is this?' });
  const sign = (secret: string): string => {
    const t = Math.floor(Date.now() / 1000);
    return `t=${t},v1=${createHmac('sha256', secret).update(`${t}.${body}`).digest('hex')}`;
  };
  const post = (signature: string) =>
    request.post('/hooks/sms', {
      data: Buffer.from(body),
      headers: { 'content-type': 'application/json', 'x-handset-signature': signature }
    });
  const [before] = await query(count);
  expect((await post(sign('guessed'))).status()).toBe(404);
  expect(await query(count)).toEqual([before]);
  const good = sign(process.env['AMBULO_SMS_SECRET'] ?? '');
  expect(await (await post(good)).json()).toEqual({ result: 'stray' });
  await post(good);
  expect(await query(`select body from stray_texts where source_id = 'outside-1'`)).toEqual([{ body: 'Who is this?' }]);
});

test('nobody without an account reads or changes anything; another site cannot act for someone signed in', async ({
  request,
  browser
}) => {
  for (const path of [
    '/api/find?q=a',
    '/api/live',
    '/api/journeys/after-the-first-visit/people',
    '/people/1/__data.json'
  ]) {
    expect((await request.get(path, { maxRedirects: 0, headers: { accept: 'application/json' } })).status(), path).toBe(
      401
    );
  }
  expect((await request.get('/people', { maxRedirects: 0, headers: { accept: 'text/html' } })).status()).toBe(303);
  const context = await browser.newContext({
    storageState: process.env['AMBULO_STATE'],
    baseURL: process.env['AMBULO_URL']
  });
  const foreign = await context.request.post('/api/clock/skip', {
    data: { to: 'next', passersBy: false },
    headers: { origin: 'https://evil.example' }
  });
  expect(foreign.status()).toBe(403);
  const none = await context.request.put('/api/journeys/after-the-first-visit/draft', { data: {} });
  expect(none.status()).toBe(403);
  await context.close();
});

test('cookies cannot be read by scripts, and pages cannot be framed', async ({ browser }) => {
  const context = await browser.newContext({ baseURL: process.env['AMBULO_URL'] });
  const page = await context.newPage();
  const response = await page.goto('/sign-in');
  expect(response?.headers()['content-security-policy']).toContain("frame-ancestors 'none'");
  await page.getByRole('button', { name: 'Sign in' }).click();
  await page.waitForURL('**/');
  const [cookie] = await context.cookies();
  expect(cookie).toMatchObject({ name: 'ambulo-session', httpOnly: true, sameSite: 'Lax' });
  await context.close();
});
