/** What the outside may and may not do: tokens, webhooks, other sites, people without an account. */
import { createHmac } from 'node:crypto';
import type { APIRequestContext } from '@playwright/test';
import pg from 'pg';
import { createUser } from '../../server/access/sessions.ts';
import { expect, test } from './fixtures.ts';

test.use({ signedIn: false });

/** What came in by a door; what the engine makes of what came before may follow at any moment. */
const count = `select (select count(*) from happenings where source <> 'engine') + (select count(*) from stray_texts) as n`;

/** A tracked link's or way out's token, as it stands in a mail that arrived. */
async function aToken(kind: 'l' | 'u'): Promise<string> {
  const answer = await fetch(`${process.env['AMBULO_POSTBOX']}/api/mail?whole=1&limit=200`);
  const { mail } = (await answer.json()) as { mail: { text: string }[] };
  const found = mail.find((m) => m.text.includes('/l/'));
  return new RegExp(`/${kind}/([\\w-]+)`).exec(found?.text ?? '')?.[1] ?? '';
}

test('a forged, truncated or foreign token is not found, and nothing is recorded', async ({ request, query }) => {
  const [before] = await query(count);
  const link = await aToken('l');
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
  const link = await aToken('l');
  const first = await request.get(`/l/${link}`, { maxRedirects: 0 });
  expect(first.status()).toBe(302);
  expect(first.headers()['location']).toMatch(/^https:\/\/quillmoor\.example\//);
  const [after] = await query(count);
  await request.get(`/l/${link}`, { maxRedirects: 0 });
  expect(await query(count)).toEqual([after]);
});

test('one-click unsubscribe posts from anywhere; a GET changes nothing', async ({ request, query }) => {
  const token = await aToken('u');
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
  const cookies = (await context.cookies()).map(({ name, httpOnly, sameSite }) => ({ name, httpOnly, sameSite }));
  const kept = { httpOnly: true, sameSite: 'Lax' };
  expect(cookies.find((c) => c.name === 'ambulo-session')).toEqual({ name: 'ambulo-session', ...kept });
  expect(cookies.every((c) => c.httpOnly)).toBe(true);
  await context.close();
});

test('every answer protects the browser that reads it, and nobody’s data is kept on the way', async ({
  page,
  request
}) => {
  const asset = (await (await request.get('/sign-in')).text()).match(/\/_app\/immutable\/[^"]+\.js/)?.[0] ?? '';
  const answers: [string, Record<string, string>, number][] = [
    ['/sign-in', { accept: 'text/html' }, 200],
    ['/people', { accept: 'text/html' }, 303],
    ['/api/find?q=a', {}, 401],
    ['/l/nothing', {}, 404],
    ['//other.example/', {}, 401],
    ['/people?q=%00', {}, 400],
    ['/favicon.svg', {}, 200],
    [asset, {}, 200]
  ];
  for (const [path, headers, status] of answers) {
    const answer = await request.get(path.startsWith('//') ? `${process.env['AMBULO_URL']}${path}` : path, {
      headers,
      maxRedirects: 0
    });
    expect(answer.status(), path).toBe(status);
    const had = answer.headers();
    expect(had['x-content-type-options'], path).toBe('nosniff');
    expect(had['x-frame-options'], path).toBe('DENY');
    expect(had['content-security-policy'], path).toContain("frame-ancestors 'none'");
    expect(had['referrer-policy'], path).toMatch(/same-origin|no-referrer/);
    expect(had['permissions-policy'], path).toContain('geolocation=()');
  }
  await page.goto('/sign-in');
  await page.getByRole('button', { name: 'Sign in' }).click();
  await page.waitForURL('**/');
  for (const path of ['/', '/people', '/people/1/__data.json', '/api/find?q=a']) {
    expect((await page.request.get(path)).headers()['cache-control'], path).toBe('private, no-store');
  }
});

test('asking after a link, without fetching it, is a machine’s way: on record, and nobody has followed it', async ({
  request,
  query
}) => {
  const link = await aToken('l');
  const head = await request.head(`/l/${link}`, { maxRedirects: 0 });
  expect([head.status(), head.headers()['referrer-policy']]).toEqual([302, 'no-referrer']);
  expect(head.headers()['location']).toMatch(/^https:\/\/quillmoor\.example\//);
  const [last] = await query<{ name: string; machine: boolean }>(
    `select name, (data ->> 'machine')::boolean as machine from happenings where source = 'tracking' order by id desc limit 1`
  );
  expect(last).toEqual({ name: 'clicked', machine: true });
});

for (const to of [
  '//evil.example',
  '/\\evil.example',
  '/%09/evil.example',
  '/\t/evil.example',
  'https://evil.example',
  'javascript:alert(1)',
  '/..//evil.example'
])
  test(`signing in leads to a path of our own, also with to=${JSON.stringify(to)}`, async ({ page }) => {
    await page.goto(`/sign-in?to=${encodeURIComponent(to)}`);
    await page.getByRole('button', { name: 'Sign in' }).click();
    await page.waitForURL((url) => url.pathname !== '/sign-in');
    expect(new URL(page.url()).origin).toBe(process.env['AMBULO_URL']);
  });

test('a password is guessed ten times at most, however its name is written; who was here before still gets in', async ({
  browser,
  request
}) => {
  const origin = process.env['AMBULO_URL'] ?? '';
  const ada = { email: 'ada@quillmoor.example', name: 'Ada', password: 'a long evening' };
  const client = new pg.Client({ connectionString: process.env['AMBULO_DATABASE'] });
  await client.connect();
  await createUser(client as never, ada);
  await client.end();
  const status = async (by: Pick<APIRequestContext, 'post'>, email: string, password: string): Promise<number> => {
    const form = { email, password };
    const answer = await by.post('/sign-in', { form, headers: { origin, accept: 'application/json' } });
    return ((await answer.json()) as { status: number }).status;
  };
  // This browser has signed in before.
  const known = await browser.newContext({ baseURL: origin });
  expect(await status(known.request, ada.email, ada.password)).toBe(303);
  await known.request.post('/sign-out', { headers: { origin }, maxRedirects: 0 });

  const names = [' ada@quillmoor.example', 'ADA@quillmoor.example', 'ada@quillmoor.example '];
  // All at once: each is counted before it is checked.
  const guesses = Array.from({ length: 16 }, (_, i) => status(request, names[i % 3] ?? '', `wrong ${i}`));
  const answers = await Promise.all(guesses);
  expect(answers.filter((s) => s === 400)).toHaveLength(10);
  expect(answers.filter((s) => s === 429)).toHaveLength(6);
  expect(await status(request, ada.email, ada.password)).toBe(429);
  expect(await status(known.request, ada.email, ada.password)).toBe(303);
  await known.close();
});

test('signing in ends the session it replaces, and signing out ends what a page hears', async ({ browser, query }) => {
  const origin = process.env['AMBULO_URL'] ?? '';
  const context = await browser.newContext({ baseURL: origin });
  const page = await context.newPage();
  const signIn = async (): Promise<void> => {
    const answer = await context.request.post('/sign-in', {
      form: { email: 'nuala@quillmoor.example', password: 'dome-at-dusk' },
      headers: { origin, accept: 'text/html' },
      maxRedirects: 0
    });
    expect(answer.status()).toBe(303);
  };
  // Known here, so that guesses of others do not count.
  await context.addCookies(
    (await (await browser.newContext({ storageState: process.env['AMBULO_STATE'] })).cookies()).filter(
      (c) => c.name === 'ambulo-device'
    )
  );
  const sessions = async () => (await query<{ n: number }>('select count(*)::int as n from sessions'))[0]?.n ?? 0;
  await signIn();
  const before = await sessions();
  await signIn();
  expect(await sessions()).toBe(before);
  await page.goto('/');
  const ended = page.evaluate(
    () =>
      new Promise((resolve) => {
        void fetch('/api/live').then(async (answer) => {
          const reader = answer.body?.getReader();
          await reader?.read();
          for (;;) if ((await reader?.read())?.done) return resolve('ended');
        });
      })
  );
  await page.waitForTimeout(300);
  await context.request.post('/sign-out', { headers: { origin }, maxRedirects: 0 });
  expect(await ended).toBe('ended');
  await context.close();
});
