/** Passers-by against a mail reader and a gateway of our own making: they act once, in time, and only as anyone could. */
import { createServer, request as ask, type Server } from 'node:http';
import { connect, type AddressInfo } from 'node:net';
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { postJson, serve } from './http.ts';
import { reactionsToMail, startPassersBy } from './passers-by.ts';

const SEED = 'quillmoor';
const START = Date.parse('2027-03-01T09:00:00Z');
const DAY = 86_400_000;

interface Mail {
  id: number;
  messageId: string;
  to: string;
  date: string;
  text: string;
  html: string;
}

let mails: Mail[];
let texts: { id: string; seq: number; number: string; direction: 'in' | 'out'; text: string; at: string }[];
let done: string[];
let site: Awaited<ReturnType<typeof serve>>;
let app: Server;
let passersBy: Awaited<ReturnType<typeof startPassersBy>>;

/** Mail number n, with its pixel, one link and its way out, all leading to our own server. */
function mail(n: number, base: string): Mail {
  return {
    id: n,
    messageId: `<${n}@quillmoor.example>`,
    to: `p${n}@people.example`,
    date: new Date(START).toISOString(),
    text: `See ${base}/l/${n}\n\nUnsubscribe: ${base}/u/${n}\n`,
    html: `<img src="${base}/o/${n}" width="1"`
  };
}

beforeEach(async () => {
  mails = [];
  texts = [];
  done = [];
  const after = (query: URLSearchParams): number => Number(query.get('after') ?? 0);
  const note = (what: string) => ({ status: 200, json: { number: done.push(what) } });
  site = await serve(
    {
      'GET /api/mail': ({ query }) => ({ status: 200, json: { mail: mails.filter((m) => m.id > after(query)) } }),
      'GET /api/texts': ({ query }) => ({ status: 200, json: { texts: texts.filter((t) => t.seq > after(query)) } }),
      'POST /api/answer': ({ body }) =>
        note(`mail ${(body as { do: string; id: number }).do} ${(body as { id: number }).id}`),
      'POST /api/reply': ({ body }) => note(`reply ${(body as { text: string }).text}`)
    },
    0
  );
  // Links, pixels and ways out are the application's, and anyone's to ask for.
  app = createServer((request, response) => {
    const kind = request.url?.slice(1, 2) ?? '';
    let body = '';
    request.on('data', (part: Buffer) => (body += part.toString()));
    request.on('end', () => {
      note(`${{ o: 'open', l: 'click', u: 'unsubscribe' }[kind]} ${request.url}${body && ` ${body}`}`);
      response.end();
    });
  });
  await new Promise<void>((resolve) => app.listen(0, '127.0.0.1', resolve));
  const standIns = `http://127.0.0.1:${site.port}`;
  passersBy = await startPassersBy({ port: 0, seed: SEED, postbox: standIns, handset: standIns });
});
afterEach(async () => {
  await passersBy.close();
  await site.close();
  await new Promise((resolve) => app.close(resolve).closeAllConnections());
});

async function tell(now: number, act = true): Promise<{ done: number; next: string | null }> {
  const response = await postJson(`http://127.0.0.1:${passersBy.port}/clock`, {
    now: new Date(now).toISOString(),
    act
  });
  return (await response.json()) as { done: number; next: string | null };
}

/** Takes the clock from one wanted instant to the next until they want nothing more. */
async function liveOn(): Promise<number[]> {
  const instants: number[] = [];
  for (let next = (await tell(START)).next; next !== null;) {
    instants.push(Date.parse(next));
    next = (await tell(Date.parse(next))).next;
  }
  return instants;
}

const base = (): string => `http://127.0.0.1:${(app.address() as AddressInfo).port}`;

describe('passers-by', () => {
  it('do exactly what their seed says, each thing once, at the instants they asked to be told of', async () => {
    mails = Array.from({ length: 60 }, (_, i) => mail(i + 1, base()));
    const planned = mails.flatMap((m) => reactionsToMail(SEED, m));
    const instants = await liveOn();
    expect(instants).toEqual([...instants].sort((a, b) => a - b));
    expect(new Set(instants)).toEqual(new Set(planned.map((p) => p.at)));
    expect(done.length).toBe(planned.length);
    expect(new Set(done).size).toBe(done.length);
    const opens = done.filter((d) => d.startsWith('open'));
    expect(opens.length).toBeGreaterThan(15);
    // Nobody follows a link of a mail they did not open.
    for (const click of done.filter((d) => d.startsWith('click')))
      expect(opens).toContain(click.replace('click /l/', 'open /o/'));
  });

  it('see new mail when they are told the time, and read no mail twice', async () => {
    mails = [mail(1, base())];
    await tell(START);
    mails.push(...Array.from({ length: 30 }, (_, i) => mail(i + 2, base())));
    await liveOn();
    const total = done.length;
    expect(total).toBe(mails.flatMap((m) => reactionsToMail(SEED, m)).length);
    await tell(START + 30 * DAY);
    expect(done.length).toBe(total);
  });

  it('left out of a skip, do not catch up with what they missed', async () => {
    mails = Array.from({ length: 30 }, (_, i) => mail(i + 1, base()));
    expect(await tell(START + 30 * DAY, false)).toMatchObject({ done: 0 });
    expect(await tell(START + 31 * DAY)).toEqual({ done: 0, next: null });
    expect(done).toEqual([]);
  });

  it('answer texts from the phones they came to, not their own answers', async () => {
    texts = Array.from({ length: 80 }, (_, i) => ({
      id: `t${i}`,
      seq: i + 1,
      number: `+4477009${10000 + i}`,
      direction: i % 4 ? ('out' as const) : ('in' as const),
      text: `Clear skies ${base()}/l/${1000 + i}`,
      at: new Date(START).toISOString()
    }));
    await liveOn();
    expect(done.filter((d) => d.startsWith('reply')).length).toBeGreaterThan(3);
    for (const click of done.filter((d) => d.startsWith('click'))) {
      const number = Number(/\d+$/.exec(click)?.[0]) - 1000;
      expect(texts[number]!.direction).toBe('out');
    }
  });

  it('unsubscribe as a mail reader does, by POST', async () => {
    mails = Array.from({ length: 400 }, (_, i) => mail(i + 1, base()));
    await liveOn();
    const out = done.filter((d) => d.startsWith('unsubscribe'));
    expect(out.length).toBeGreaterThan(0);
    expect(out.every((d) => d.endsWith('List-Unsubscribe=One-Click'))).toBe(true);
  });

  it('told nonsense, say so and go on', async () => {
    const response = await postJson(`http://127.0.0.1:${passersBy.port}/clock`, { now: 'soon' });
    expect(response.status).toBe(400);
    expect(await tell(START)).toEqual({ done: 0, next: null });
  });
});

describe('the stand-ins’ server', () => {
  const own = (): string => `http://127.0.0.1:${site.port}`;
  const post = (path: string, body: string, headers: Record<string, string> = {}) =>
    fetch(`${own()}${path}`, {
      method: 'POST',
      body,
      headers: { 'content-type': 'application/json', origin: own(), ...headers }
    });

  it('takes nothing endless, nothing unknown, and tells what went wrong', async () => {
    expect((await fetch(`${own()}/nothing`)).status).toBe(404);
    expect((await post('/api/mail', '{}')).status).toBe(404);
    const long = await post('/api/reply', `"${'x'.repeat(1_000_000)}"`);
    expect(await long.json()).toEqual({ error: 'the body is too long' });
    expect((await post('/api/reply', '{')).status).toBe(400);
  });

  it.each([
    ['another site’s page', { origin: 'https://other.example' }, 403],
    ['a page of no known site', { origin: 'null' }, 403],
    ['a form of another site', { 'content-type': 'text/plain' }, 415]
  ])('does nothing for %s', async (_, headers, status) => {
    expect((await post('/api/reply', '{"text":"x"}', headers)).status).toBe(status);
    expect(done).toEqual([]);
  });

  it('does nothing under another name, as a rebound address would ask', async () => {
    const status = await new Promise((resolve) =>
      ask({ port: site.port, host: '127.0.0.1', path: '/api/mail', headers: { host: 'other.example' } }, (r) =>
        resolve(r.statusCode)
      ).end()
    );
    expect(status).toBe(421);
  });

  it.each(['GET // HTTP/1.1', 'GET http:// HTTP/1.1', 'GET /%ff%00?x=%zz HTTP/1.1', 'GET __proto__ HTTP/1.1'])(
    'lives on after %s',
    async (line) => {
      const socket = connect(site.port, '127.0.0.1');
      socket.on('error', () => undefined);
      socket.end(`${line}\r\nHost: 127.0.0.1:${site.port}\r\nConnection: close\r\n\r\n`);
      await new Promise((resolve) => socket.resume().on('close', resolve));
      expect((await fetch(`${own()}/api/mail`)).status).toBe(200);
    }
  );

  it('refuses a port that is taken', async () => {
    await expect(serve({}, site.port)).rejects.toThrow(/EADDRINUSE/);
  });
});
