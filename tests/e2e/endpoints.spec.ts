/** Every address that takes something: what it answers to what nobody should send it, and that nothing changes by it. */
import type { APIRequestContext, APIResponse } from '@playwright/test';
import { expect, test } from './fixtures.ts';

const KEY = 'after-the-first-visit';

/** A request as our own pages make it: signed in, from our own address. */
async function ask(
  request: APIRequestContext,
  method: string,
  path: string,
  data?: unknown,
  headers: Record<string, string> = {}
): Promise<APIResponse> {
  const origin = process.env['AMBULO_URL'] ?? '';
  return request.fetch(path, {
    method,
    maxRedirects: 0,
    headers: {
      origin,
      accept: 'application/json',
      ...(data === undefined ? {} : { 'content-type': 'application/json' }),
      ...headers
    },
    ...(data === undefined ? {} : { data: typeof data === 'string' ? Buffer.from(data) : data })
  });
}

const said = async (response: APIResponse): Promise<string> => ((await response.json()) as { message: string }).message;

interface Draft {
  revision: number;
  draft: Record<string, unknown>;
}

test.describe('a draft', () => {
  const read = async (
    query: (sql: string, values?: unknown[]) => Promise<Record<string, unknown>[]>
  ): Promise<Draft> => {
    const [row] = await query('select draft_revision as revision, draft from journeys where key = $1', [KEY]);
    return { revision: Number(row!['revision']), draft: row!['draft'] as Record<string, unknown> };
  };
  const put = (request: APIRequestContext, revision: unknown, document: unknown, key = KEY): Promise<APIResponse> =>
    ask(request, 'PUT', `/api/journeys/${key}/draft`, { revision, document });

  test('that is not a journey is refused with its path, and the one that is there stays', async ({
    request,
    query
  }) => {
    const before = await read(query);
    const cases: [unknown, number, RegExp][] = [
      [{ ...before.draft, lane: 'none' }, 400, /lane: found "none", expected an array/],
      [{ ...before.draft, colour: 'red' }, 400, /colour: found the key "colour"/],
      [{ ...before.draft, lane: [{ key: 'a', kind: 'teleport' }] }, 400, /lane\[0\]\.kind: found "teleport"/],
      [{ ...before.draft, lane: [{ key: 'A b', kind: 'sms' }] }, 400, /lane\[0\]\.key/],
      [{ ...before.draft, lane: [{ key: 'w', kind: 'wait', for: 'P0D' }] }, 400, /lane\[0\]\.for: found "P0D"/],
      [{ ...before.draft, key: 'another' }, 400, /key: found "another", expected "after-the-first-visit"/],
      [{ ...before.draft, format: 'ambulo.journey/2' }, 400, /format/],
      [null, 400, /found null, expected an object/]
    ];
    for (const [document, status, message] of cases) {
      const response = await put(request, before.revision, document);
      expect(response.status(), JSON.stringify(document)?.slice(0, 80)).toBe(status);
      expect(await said(response)).toMatch(message);
    }
    expect(await read(query)).toEqual(before);
  });

  test('on another revision, of a journey that is gone, or no JSON at all', async ({ request, query }) => {
    const before = await read(query);
    expect((await put(request, before.revision - 1, before.draft)).status()).toBe(409);
    expect((await put(request, before.revision, { ...before.draft, key: 'not-there' }, 'not-there')).status()).toBe(
      404
    );
    const broken = await ask(request, 'PUT', `/api/journeys/${KEY}/draft`, '{"revision": 1,');
    expect(broken.status()).toBe(400);
    expect(await said(broken)).toBe('The body of this request is not JSON.');
    const extra = await ask(request, 'PUT', `/api/journeys/${KEY}/draft`, { revision: 1, document: {}, force: true });
    expect(await said(extra)).toMatch(/force: found the key "force"/);
    expect(await read(query)).toEqual(before);
  });
});

test.describe('putting people in by hand', () => {
  const cases: [string, unknown, number, RegExp][] = [
    ['nobody', { people: [] }, 400, /people: found \[\], expected at least 1/],
    ['no numbers', { people: ['1; drop table people'] }, 400, /people\[0\]: .*expected a number/],
    ['below zero', { people: [-1] }, 400, /people\[0\]/],
    ['more than ten thousand at once', { people: Array.from({ length: 10_001 }, (_, i) => i + 1) }, 400, /people/]
  ];
  for (const [name, body, status, message] of cases) {
    test(`refuses ${name}`, async ({ request, query }) => {
      const [before] = await query('select count(*) as n from happenings');
      const response = await ask(request, 'POST', `/api/journeys/${KEY}/people`, body);
      expect(response.status()).toBe(status);
      expect(await said(response)).toMatch(message);
      expect(await query('select count(*) as n from happenings')).toEqual([before]);
    });
  }

  test('refuses a journey that is not there, or not live', async ({ request, query }) => {
    expect((await ask(request, 'POST', '/api/journeys/not-there/people', { people: [1] })).status()).toBe(404);
    await query(
      `insert into journeys (key, name, draft, draft_saved_at, created_at, created_by)
       values ('asleep', 'Asleep', '{}', now(), now(), 'test') on conflict do nothing`
    );
    const asleep = await ask(request, 'POST', '/api/journeys/asleep/people', { people: [1] });
    expect(asleep.status()).toBe(409);
    expect(await said(asleep)).toBe('This journey is not live, so nobody can be put in. Set it live first.');
    await query(`delete from journeys where key = 'asleep'`);
  });
});

test.describe('skipping the clock', () => {
  const cases: [string, unknown, RegExp][] = [
    ['no way to go', { passersBy: true }, /to: found nothing/],
    ['backwards', { to: { ms: -5 }, passersBy: true }, /to/],
    ['half a millisecond', { to: { ms: 0.5 }, passersBy: true }, /to/],
    ['more than a year', { to: { ms: 400 * 86_400_000 }, passersBy: true }, /to/],
    ['a day that is none', { to: { at: '2027-02-31T00:00:00Z' }, passersBy: false }, /to/],
    ['a word', { to: 'tomorrow', passersBy: false }, /to/]
  ];
  for (const [name, body, message] of cases) {
    test(`refuses ${name}`, async ({ request, query }) => {
      const [before] = await query('select count(*) as n from clock_skips');
      const response = await ask(request, 'POST', '/api/clock/skip', body);
      expect(response.status()).toBe(400);
      expect(await said(response)).toMatch(message);
      expect(await query('select count(*) as n from clock_skips')).toEqual([before]);
    });
  }

  test('refuses an instant that is past', async ({ request }) => {
    const response = await ask(request, 'POST', '/api/clock/skip', {
      to: { at: '2020-01-01T00:00:00Z' },
      passersBy: false
    });
    expect(response.status()).toBe(409);
    expect(await said(response)).toBe('That is not ahead of the present: the practice clock never goes back.');
  });
});

test.describe('an upload of people', () => {
  const headers = { origin: process.env['AMBULO_URL'] ?? '', accept: 'application/json' };
  const post = (request: APIRequestContext, path: string, data: object): Promise<APIResponse> =>
    request.post(`/api/people/import${path}`, { headers, data });
  const put = (request: APIRequestContext, id: string, place: string, data: Buffer): Promise<APIResponse> =>
    request.put(`/api/people/import/${id}/${place}`, { headers, data });
  const upload = async (request: APIRequestContext, file: Buffer): Promise<string> => {
    const begun = await post(request, '', { name: 'p.csv', bytes: file.length });
    const { id, part } = (await begun.json()) as { id: string; part: number };
    for (let place = 0; place * part < file.length; place++) {
      const kept = await put(request, id, String(place), file.subarray(place * part, (place + 1) * part));
      expect(kept.status()).toBe(200);
    }
    return id;
  };
  interface Opened {
    id: number;
    plan: { columns: { target: string }[]; consent: object };
  }
  const open = async (request: APIRequestContext, id: string): Promise<Opened> =>
    (await (await post(request, `/${id}/open`, {})).json()) as Opened;
  const act = (request: APIRequestContext, id: number, what: string): Promise<APIResponse> =>
    request.post(`/api/people/imports/${id}`, { headers, data: { act: what } });
  const told = async (response: APIResponse): Promise<Record<string, unknown>[]> =>
    (await response.text())
      .trim()
      .split('\n')
      .map((line) => JSON.parse(line) as Record<string, unknown>);
  const good = Buffer.from('email,first_name\nnew.person@people.example,New\n');

  test('that is nothing but white space is refused when it is opened', async ({ request }) => {
    const response = await post(request, `/${await upload(request, Buffer.from(' \n'))}/open`, {});
    expect([response.status(), await said(response)]).toEqual([400, expect.stringMatching(/empty/)]);
  });

  const plans: [string, (plan: Opened['plan']) => object, RegExp][] = [
    ['for other columns', (p) => ({ ...p, columns: [{ target: 'email' }] }), /does not fit/],
    [
      'to nothing known',
      (p) => ({ ...p, columns: [{ target: 'email' }, { target: 'password' }] }),
      /expected a known column/
    ],
    ['of one thing twice', (p) => ({ ...p, columns: [{ target: 'email' }, { target: 'email' }] }), /same thing/],
    [
      'with a delimiter of its own',
      (p) => ({ ...p, reading: { encoding: 'utf-8', delimiter: 'x', header: true } }),
      /delimiter/
    ],
    ['that is none', () => ({}), /plan/]
  ];
  for (const [name, change, message] of plans) {
    test(`a plan ${name} is refused`, async ({ request, query }) => {
      const [before] = await query('select count(*) as n from people');
      const id = await upload(request, good);
      const { id: number, plan } = await open(request, id);
      const response = await post(request, `/${id}/check`, { import: number, plan: change(plan) });
      // What is wrong with the body is an answer of its own; what is wrong with the file is told on the way.
      const text = response.status() === 200 ? String((await told(response)).at(-1)!['problem']) : await said(response);
      expect(text).toMatch(message);
      const begun = await act(request, number, 'begin');
      expect([begun.status(), await said(begun)]).toEqual([
        409,
        'This import has begun already, or was not read to its end.'
      ]);
      expect(await query('select count(*) as n from people')).toEqual([before]);
    });
  }

  test('too large, empty, or in parts that do not fit is refused, with the way out', async ({ request }) => {
    const large = await post(request, '', { name: 'p.csv', bytes: 300 * 1024 * 1024 });
    expect(large.status()).toBe(413);
    expect(await said(large)).toMatch(/300 MB; up to 200 MB.*split it/);
    expect((await post(request, '', { name: 'p.csv', bytes: 0 })).status()).toBe(400);
    expect((await post(request, '', { name: 'p.csv', bytes: -1 })).status()).toBe(400);

    const begun = await post(request, '', { name: 'p.csv', bytes: 10 });
    const { id } = (await begun.json()) as { id: string };
    for (const place of ['1', '-1', 'x', '99999']) expect((await put(request, id, place, good)).status()).toBe(404);
    expect((await put(request, id, '0', good)).status()).toBe(404);
    expect((await put(request, id, '0', Buffer.alloc(4.5 * 1024 * 1024, 'a'))).status()).toBe(413);
    expect((await put(request, id, '0', Buffer.from('email'))).status()).toBe(200);
    const half = await post(request, `/${id}/open`, {});
    expect([half.status(), await said(half)]).toEqual([409, 'Parts of this file have not arrived. Choose it again.']);
    for (const other of ['x', '00000000-0000-4000-8000-000000000000'])
      expect((await post(request, `/${other}/open`, {})).status()).toBe(404);
  });

  test('of many rows is read with progress, imported by the workers, and its refused rows come back', async ({
    request,
    query
  }) => {
    const rows = Array.from({ length: 11_000 }, (_, i) => `many${i}@people.example,Many`);
    rows[9000] = 'nobody,';
    const file = Buffer.from(`email,first_name\n${rows.join('\n')}\n${' '.repeat(4 * 1024 * 1024)}\n`);
    const id = await upload(request, file);
    const { id: number, plan } = await open(request, id);
    const lines = await told(await post(request, `/${id}/check`, { import: number, plan }));
    expect(lines.length).toBeGreaterThan(1);
    expect(lines.at(-1)).toMatchObject({ end: true, preview: { rows: 11_000, made: 10_999, refused: 1 } });
    expect((await act(request, number, 'begin')).status()).toBe(200);
    expect((await act(request, number, 'begin')).status()).toBe(409);
    await expect
      .poll(async () => (await query('select state from imports where id = $1', [number]))[0], { timeout: 60_000 })
      .toEqual({ state: 'done' });
    expect(await query(`select count(*)::int as n from people where email like 'many%'`)).toEqual([{ n: 10_999 }]);
    const refused = await request.get(`/api/people/imports/${number}/refused`);
    expect((await refused.text()).slice(1)).toBe(
      'email,first_name,line in the file,why it was refused\nnobody,,9002,email: not an email address\n'
    );
    expect((await request.get('/api/people/imports/999999/refused')).status()).toBe(404);
    expect((await act(request, 999_999, 'undo')).status()).toBe(409);
    expect((await act(request, number, 'undo')).status()).toBe(200);
    await expect
      .poll(async () => (await query('select state from imports where id = $1', [number]))[0], { timeout: 60_000 })
      .toEqual({ state: 'undone' });
    expect(await query(`select count(*)::int as n from people where email like 'many%'`)).toEqual([{ n: 0 }]);
  });

  test('a preview changes nothing; a name with markup and Liquid in it stays text', async ({
    request,
    query,
    page
  }) => {
    const nasty = `<img src=x onerror="document.title='hit'">{{ person.email }}`;
    const csv = Buffer.from(`email,first_name\nnasty@people.example,"${nasty.replaceAll('"', '""')}"\n`);
    const id = await upload(request, csv);
    const { id: number, plan } = await open(request, id);
    const preview = await told(await post(request, `/${id}/check`, { import: number, plan }));
    expect(preview.at(-1)).toMatchObject({ preview: { made: 1, changed: 0, refused: 0 } });
    expect(await query(`select from people where email = 'nasty@people.example'`)).toEqual([]);
    expect((await act(request, number, 'begin')).status()).toBe(200);
    await expect.poll(() => query(`select 1 as n from people where email = 'nasty@people.example'`)).toHaveLength(1);
    const [person] = await query<{ id: number; first_name: string }>(
      `select id, first_name from people where email = 'nasty@people.example'`
    );
    expect(person!.first_name).toBe(nasty);
    await page.goto(`/people/${person!.id}`);
    await expect(page.getByRole('heading', { level: 1 })).toContainText('<img src=x');
    expect(await page.title()).not.toBe('hit');
    await page.goto('/people?q=nasty%40people');
    await expect(page.getByRole('link', { name: /^<img src=x/ })).toBeVisible();
    await query(`delete from people where email = 'nasty@people.example'`);
  });
});

test('a person’s page takes only what it offers', async ({ request, query }) => {
  const [person] = await query<{ id: string }>('select id from people order by id limit 1');
  const [before] = await query('select count(*) as n from happenings');
  const act = (action: string, form: Record<string, string>, id = person!.id): Promise<APIResponse> =>
    request.post(`/people/${id}?/${action}`, {
      form,
      headers: { origin: process.env['AMBULO_URL'] ?? '', accept: 'application/json', 'x-sveltekit-action': 'true' }
    });
  const cases: [string, Record<string, string>, RegExp][] = [
    ['tag', { tag: '   ' }, /Name a tag/],
    ['tag', { tag: 'x'.repeat(81) }, /at most 80 letters/],
    ['enter', { journey: 'not-there' }, /Choose a journey that is live/],
    ['retry', { message: '999999999' }, /not waiting to be tried again/],
    ['retry', { message: 'NaN' }, /not waiting to be tried again/]
  ];
  for (const [action, form, message] of cases) {
    const body = (await (await act(action, form)).json()) as { type: string; data: string };
    expect(body.type, JSON.stringify(form)).toBe('failure');
    expect(body.data).toMatch(message);
  }
  expect((await ask(request, 'GET', '/people/1e9')).status()).toBe(404);
  expect((await ask(request, 'GET', '/people/999999999')).status()).toBe(404);
  expect(await query('select count(*) as n from happenings')).toEqual([before]);
});

test('finding takes anything that can be typed', async ({ request }) => {
  for (const q of ['', "' or 1=1 --", '%', '\\', '🌌', 'a'.repeat(5000)]) {
    const response = await ask(request, 'GET', `/api/find?q=${encodeURIComponent(q)}`);
    expect(response.status(), q.slice(0, 20)).toBe(200);
  }
  const wild = (await (await ask(request, 'GET', '/api/find?q=%25')).json()) as { found: unknown[] };
  expect(wild.found).toEqual([]);
});

test('pages take odd addresses: pages past the end, sorts that are none, journeys that are gone', async ({ page }) => {
  await page.goto('/people?page=99999&sort=password&q=zzzzz');
  await expect(page.getByRole('main')).toContainText('Nobody fits');
  // Places in the list that nobody was given.
  for (const made of [
    'sort=last&value=0000-01-01',
    'sort=last&value=never',
    'sort=walking&value=9999999999999999999999',
    'sort=walking&value=1.5',
    'sort=score&value=1e999',
    'sort=name&value=%00'
  ])
    for (const way of ['after', 'before'])
      expect([made, (await page.goto(`/people?way=${way}&id=3&${made}`))?.status()]).not.toEqual([made, 500]);
  await page.goto('/journeys/not-there');
  await expect(page.getByRole('main')).toContainText('There is no such journey');
  await page.goto('/nothing/here');
  await expect(page.getByRole('main')).toContainText(/nothing at this address/i);
});

test('guessing a password is slowed down, and says for how long', async ({ request }) => {
  const attempt = async (): Promise<{ status: number; data: string }> => {
    const response = await request.post('/sign-in', {
      form: { email: 'guess@quillmoor.example', password: 'wrong' },
      headers: { origin: process.env['AMBULO_URL'] ?? '', accept: 'application/json', 'x-sveltekit-action': 'true' }
    });
    return (await response.json()) as { status: number; data: string };
  };
  for (let i = 0; i < 10; i++) expect((await attempt()).status).toBe(400);
  const stopped = await attempt();
  expect(stopped.status).toBe(429);
  expect(stopped.data).toMatch(/Too many tries\. Wait \d+ minutes\./);
});
