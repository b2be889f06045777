/** What walks have others do: tasks that are awaited, notices, signed calls of web addresses, consents that are asked for. */
import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { Webhook } from 'standardwebhooks';
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { callSecret } from '../../server/post/call.ts';
import { readAllowed, type Lookup } from '../../server/post/reach.ts';
import { makeEngine } from '../../server/running/context.ts';
import { brake, halt } from '../../server/journeys/brake.ts';
import { asking, confirm } from '../../server/intake/confirm.ts';
import { personPage } from '../../server/people/people.ts';
import { askEntry } from '../../server/people/inputs.ts';
import { setAsidePage, tryErrandAgain } from '../../server/results/aside.ts';
import { runBatch } from '../../server/engine/batch.ts';
import { settle } from '../../server/running/skip.ts';
import { doTask, tasks } from '../../server/tasks/tasks.ts';
import type { Step } from '../../core/steps/index.ts';
import { DAYS, HOUR, journey, mail, MONDAY, put, reachable } from '../make.ts';
import { addPeople, live, openWorld, skipTo, trailOf, type World } from './world.ts';

let world: World;
beforeEach(async () => {
  world = await openWorld();
});
afterEach(() => world.close());

const told = async (): Promise<unknown[]> =>
  (await trailOf(world.pool)).map((l) =>
    [l['what'], l['step'], l['lane'] ?? l['as']].filter((x) => x !== null && x !== undefined).join(' ')
  );

async function enter(steps: Step[], person = reachable('1')): Promise<void> {
  await addPeople(world.pool, [person]);
  await live(world, journey(steps));
  await askEntry(world.pool, [1], 'try', 'test');
  await settle(world.engine, false);
}

const ring = (more: object = {}): Step =>
  ({ key: 'ring', kind: 'task', title: 'Ring {{ person.first_name }}', ...more }) as Step;

describe('tasks', () => {
  it('one that is awaited is stood on until it is done, and says whose it is and when it is due', async () => {
    await enter(
      [ring({ what: 'call', due: 'P1D', priority: 'high', await: { limit: 'P9D' } }), put('rung')],
      reachable('1', (p) => p.fields.set('first_name', 'Ada'))
    );
    const { tasks: mine, counts } = await tasks(world.pool, 'mine', ['test']);
    expect(counts).toEqual({ mine: 1, all: 1, due: 0 });
    expect(mine[0]).toMatchObject({
      title: 'Ring Ada',
      what: 'call',
      priority: 0,
      awaited: true,
      assignee: 'test',
      dueAt: MONDAY + DAYS
    });
    await skipTo(world, MONDAY + 2 * DAYS);
    expect((await tasks(world.pool, 'due', [])).tasks).toHaveLength(1);
    expect((await tasks(world.pool, 'mine', ['somebody else'])).tasks).toHaveLength(0);
    expect(await doTask(world.pool, mine[0]!.id, 'Nuala', 'reached')).toBe(true);
    await settle(world.engine, false);
    expect(await told()).toEqual(['entered', 'tasked ring', 'waiting ring', 'tagged put-rung', 'left finished']);
    expect((await trailOf(world.pool)).at(-1)).toMatchObject({ at: new Date(MONDAY + 2 * DAYS).toISOString() });
    expect((await tasks(world.pool, 'done', [])).tasks[0]).toMatchObject({ doneBy: 'Nuala', outcome: 'reached' });
  });

  it('is due by the days of the workspace, whatever the zone of its journey', async () => {
    await world.pool.query(`update workspace set zone = 'America/New_York'`);
    // The night in between is an hour short there, and nowhere else.
    await skipTo(world, Date.UTC(2027, 2, 13, 12));
    await addPeople(world.pool, [reachable('1')]);
    await live(world, journey([ring({ due: 'P1D' })], { zone: 'Asia/Tokyo' }));
    await askEntry(world.pool, [1], 'try', 'test');
    await settle(world.engine, false);
    const { rows } = await world.pool.query<{ due_at: number }>('select due_at from tasks');
    expect(rows).toEqual([{ due_at: Date.UTC(2027, 2, 14, 11) }]);
  });
  it('done by two at once, it is done once', async () => {
    await enter([ring()]);
    const { tasks: all } = await tasks(world.pool, 'all', []);
    const both = await Promise.all(['a', 'b'].map((by) => doTask(world.pool, all[0]!.id, by, null)));
    expect(both.filter(Boolean)).toHaveLength(1);
    const { rows } = await world.pool.query(`select from happenings where name = 'task_done'`);
    expect(rows).toHaveLength(1);
  });

  it('nobody did it: they go on at the limit', async () => {
    await enter([ring({ await: { limit: 'P2D' } }), put('waited')]);
    await skipTo(world, MONDAY + 2 * DAYS);
    expect(await told()).toContain('tagged put-waited');
    expect((await tasks(world.pool, 'all', [])).tasks[0]).toMatchObject({ title: 'Ring ' });
  });
});

describe('notices', () => {
  const notice: Step = { key: 'tell', kind: 'notify', to: 'Nuala', text: 'Look at {{ person.first_name }}' };
  it('go to the colleague as a mail that names the person', async () => {
    await world.pool.query(
      `insert into users (email, name, password_hash) values ('nuala@quillmoor.example', 'Nuala', 'x')`
    );
    await enter(
      [notice],
      reachable('1', (p) => p.fields.set('first_name', 'Ada'))
    );
    const [mail] = world.postbox.mails;
    expect(world.postbox.mails).toHaveLength(1);
    expect(mail).toMatchObject({ to: 'nuala@quillmoor.example', subject: 'try: Ada' });
    expect(mail!.text).toContain('Look at Ada');
    expect(mail!.text).toContain('/people/1');
  });
  it('for a colleague nobody knows: said, kept, and tried again once there is one', async () => {
    await enter([notice]);
    const { errands } = await setAsidePage(world.pool);
    expect(errands[0]).toMatchObject({
      kind: 'notify',
      state: 'failed',
      error: expect.stringContaining('Nuala') as string
    });
    await world.pool.query(
      `insert into users (email, name, password_hash) values ('nuala@quillmoor.example', 'Nuala', 'x')`
    );
    expect(await tryErrandAgain(world.pool, 1, errands[0]!.id)).toBe(true);
    await settle(world.engine, false);
    expect(world.postbox.mails).toHaveLength(1);
    expect((await setAsidePage(world.pool)).errands).toEqual([]);
  });
  it('a name cannot put a header into the mail', async () => {
    await world.pool.query(
      `insert into users (email, name, password_hash) values ('nuala@quillmoor.example', 'Nuala', 'x')`
    );
    await enter(
      [notice],
      reachable('1', (p) => p.fields.set('first_name', 'Ada\r\nBcc: everyone@quillmoor.example'))
    );
    expect(world.postbox.mails.map((m) => m.to)).toEqual(['nuala@quillmoor.example']);
    expect(world.postbox.mails[0]!.subject).toBe('try: Ada Bcc: everyone@quillmoor.example');
  });
});

describe('calls', () => {
  type Answer = (request: IncomingMessage, response: ServerResponse, body: string) => void;
  let server: Server;
  /** A second server, for those who need one. */
  let other: Server;
  let url: string;
  let answer: Answer;
  let got: { headers: Record<string, string>; body: string }[];
  beforeEach(async () => {
    got = [];
    answer = (_, response) => response.end('thanks');
    other = createServer();
    server = createServer((request, response) => {
      let body = '';
      request.on('data', (piece) => (body += String(piece)));
      request.on('end', () => {
        got.push({ headers: request.headers as Record<string, string>, body });
        answer(request, response, body);
      });
    });
    await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
    url = `http://127.0.0.1:${(server.address() as AddressInfo).port}/hook`;
  });
  afterEach(() => {
    for (const s of [server, other]) {
      s.closeAllConnections();
      s.close();
    }
  });
  const call = (to = url, more: object = {}): Step => ({ key: 'post', kind: 'call', url: to, ...more });
  /** `allowed`: as in the settings; this machine at every port that a test listens on where absent. */
  const open = (allowed?: string, timeout = 5000, lookup?: Lookup): void => {
    const ports = [server, other].flatMap((s) => (s.listening ? [(s.address() as AddressInfo).port] : []));
    world.engine = makeEngine(world.pool, world.engine.post, null, 0, {
      allowed: readAllowed(allowed ?? ports.map((p) => `127.0.0.1:${p}`).join(',')),
      timeout,
      ...(lookup ? { lookup } : {})
    });
  };
  const errand = async (): Promise<Record<string, unknown>> =>
    (await world.pool.query<Record<string, unknown>>('select state, attempts, error, answer from errands')).rows[0]!;

  it('are posted signed, with the data filled in, and the answer is kept', async () => {
    open();
    await enter(
      [call(url, { data: { what: 'visit', who: { name: '{{ person.first_name }}' } } })],
      reachable('1', (p) => p.fields.set('first_name', 'Ada'))
    );
    expect(got).toHaveLength(1);
    const read = new Webhook(callSecret(world.secret)).verify(got[0]!.body, got[0]!.headers) as Record<string, unknown>;
    expect(read).toMatchObject({
      type: 'journey.called',
      timestamp: new Date(MONDAY).toISOString(),
      data: {
        journey: 'try',
        step: 'post',
        walk: 1,
        what: 'visit',
        who: { name: 'Ada' },
        person: { id: 1, email: '1@people.example' }
      }
    });
    expect(await errand()).toMatchObject({ state: 'done', answer: { status: 200, body: 'thanks' } });
    expect(await told()).toEqual(['entered', 'called post', 'left finished']);
    const page = await personPage(world.pool, 1);
    expect(page?.timeline.find((l) => l.what === 'called')?.detail).toEqual({ errand: 'done', status: 200 });
  });
  it('that find the server busy are tried again under the same id', async () => {
    open();
    answer = (_, response) => response.writeHead(got.length < 2 ? 503 : 204).end();
    await enter([call()]);
    expect(got).toHaveLength(2);
    expect(new Set(got.map((g) => g.headers['webhook-id'])).size).toBe(1);
    expect(await errand()).toMatchObject({ state: 'done', attempts: 2 });
  });
  it.each<[string, Answer, object]>([
    [
      'a refusal is final',
      (_, r) => r.writeHead(400).end('no'),
      { state: 'failed', error: 'it answered 400', answer: { status: 400, body: 'no' } }
    ],
    [
      'a redirect inwards',
      (_, r) => r.writeHead(307, { location: 'http://169.254.169.254/latest' }).end(),
      { state: 'failed', error: expect.stringContaining('private network') as string }
    ],
    [
      'a redirect to a file',
      (_, r) => r.writeHead(308, { location: 'file:///etc/passwd' }).end(),
      { state: 'failed', error: 'file: addresses are not called' }
    ],
    [
      'redirects in a circle',
      (_, r) => r.writeHead(307, { location: url }).end(),
      { state: 'failed', error: 'it redirects more than 3 times' }
    ],
    [
      'a gigabyte',
      (_, r) => {
        const more = (): void => void (r.destroyed || (r.write('x'.repeat(65_536)), setTimeout(more, 1)));
        more();
      },
      { state: 'done', answer: { status: 200, body: 'x'.repeat(2000) } }
    ]
  ])('%s', async (_, said, expected) => {
    open();
    answer = said;
    await enter([call()]);
    expect(await errand()).toMatchObject(expected);
  });
  it('a server that answers slowly for ever is given up and tried again, and holds up nobody', async () => {
    open(undefined, 150);
    answer = (_, response) => {
      response.writeHead(200);
      const drip = setInterval(() => response.write('.'), 40);
      response.on('close', () => clearInterval(drip));
    };
    await addPeople(world.pool, [reachable('1')]);
    await live(world, journey([call()]));
    await askEntry(world.pool, [1], 'try', 'test');
    const stop = new AbortController();
    setTimeout(() => stop.abort(), 1500);
    await settle(world.engine, false, stop.signal);
    expect(await errand()).toMatchObject({ state: 'queued', error: 'no answer within 0.15 seconds' });
    expect(await told()).toEqual(['entered', 'called post', 'left finished']);
  });
  it.each([
    'http://127.0.0.1/x',
    'http://localhost/x',
    'http://[::1]/x',
    'http://10.0.0.1/x',
    'http://169.254.169.254/x',
    'http://0.0.0.0/x',
    'http://[::ffff:127.0.0.1]/x',
    'http://[::127.0.0.1]/x',
    'http://[::a9fe:a9fe]/x',
    'http://[64:ff9b::7f00:1]/x',
    'http://[fec0::1]/x',
    'http://0177.1/x',
    'http://2130706433/x'
  ])('into a private network are refused: %s', async (inward) => {
    open('');
    await enter([call(inward)]);
    expect(await errand()).toMatchObject({
      state: 'failed',
      error: expect.stringContaining('private network') as string
    });
  });
  it('of a machine that the settings list, only the listed port is called', async () => {
    other.on('request', (_, response: ServerResponse) => void response.end('fine'));
    await new Promise<void>((resolve) => other.listen(0, '127.0.0.1', resolve));
    open(`127.0.0.1:${(server.address() as AddressInfo).port}`);
    await enter([call(`http://127.0.0.1:${(other.address() as AddressInfo).port}/x`)]);
    expect(await errand()).toMatchObject({
      state: 'failed',
      error: expect.stringContaining('private network') as string
    });
  });
  it('a name that leads elsewhere the second time is judged by where it leads then', async () => {
    const { port } = server.address() as AddressInfo;
    const led: string[] = [];
    // The first answer may be called, the second is the same machine by an address that may not.
    open(`127.0.0.1:${port}`, 5000, (hostname, _, answer) => {
      led.push(hostname);
      answer(null, [{ address: led.length === 1 ? '127.0.0.1' : '127.0.0.2', family: 4 }]);
    });
    const there = `http://turning.example:${port}/hook`;
    answer = (_, response) => response.writeHead(307, { location: there }).end();
    await enter([call(there)]);
    expect(await errand()).toMatchObject({
      state: 'failed',
      error: expect.stringContaining('turning.example') as string
    });
    expect(led).toHaveLength(2);
    expect(got).toHaveLength(1);
  });
  it('a name with one address inwards among others is refused', async () => {
    const { port } = server.address() as AddressInfo;
    open(`127.0.0.1:${port}`, 5000, (_, __, answer) =>
      answer(null, [
        { address: '127.0.0.1', family: 4 },
        { address: '::7f00:1', family: 6 }
      ])
    );
    await enter([call(`http://both.example:${port}/hook`)]);
    expect(await errand()).toMatchObject({ state: 'failed', error: expect.stringContaining('both.example') as string });
    expect(got).toEqual([]);
  });
  it('a server that does not answer is left alone: its other calls wait untried, and those of others go', async () => {
    other.on('request', (_, response: ServerResponse) => void response.end('fine'));
    await new Promise<void>((resolve) => other.listen(0, '127.0.0.1', resolve));
    open(undefined, 2500);
    answer = () => undefined;
    const there = `http://127.0.0.1:${(other.address() as AddressInfo).port}/x`;
    await addPeople(
      world.pool,
      Array.from({ length: 40 }, (_, i) =>
        reachable(String(i + 1), (p) => p.fields.set('phone', `+4477009010${i + 10}`))
      )
    );
    await live(world, journey([call(), { key: 'there', kind: 'call', url: there }]));
    await askEntry(
      world.pool,
      Array.from({ length: 40 }, (_, i) => i + 1),
      'try',
      'test'
    );
    while ((await runBatch(world.pool, world.engine.plans)).people);
    for (let i = 0; i < 8; i++) await world.engine.errands.run('calls');
    const { rows } = await world.pool.query(
      `select step, state, count(*) as n, max(attempts) as tries from errands group by 1, 2 order by 1, 2`
    );
    expect(rows).toContainEqual({ step: 'there', state: 'done', n: 40, tries: 1 });
    expect(got.length).toBeLessThanOrEqual(16);
    expect(
      (await world.pool.query(`select count(*) as n from errands where step = 'post' and attempts = 0`)).rows[0]
    ).toEqual({
      n: 40 - got.length
    });
  });
  it('wait while the journey is paused, and while all sending is stopped', async () => {
    open();
    await addPeople(world.pool, [reachable('1')]);
    await live(world, journey([call()]));
    await halt(world.pool, true, 'test');
    await askEntry(world.pool, [1], 'try', 'test');
    await settle(world.engine, false);
    await halt(world.pool, false, 'test');
    await brake(world.pool, 'try', 'pause', 'test');
    await settle(world.engine, false);
    expect(got).toHaveLength(0);
    await brake(world.pool, 'try', 'resume', 'test');
    await settle(world.engine, false);
    expect(got).toHaveLength(1);
  });
});

it('a step in a loop has each of its messages and calls once on the timeline', async () => {
  await enter([
    mail('a'),
    { key: 'post', kind: 'call', url: 'http://127.0.0.1/x' },
    { key: 'back', kind: 'loop', to: 'a', atMost: 2 }
  ]);
  const { timeline } = (await personPage(world.pool, 1))!;
  expect(timeline.filter((l) => l.what === 'sent')).toHaveLength(3);
  expect(timeline.filter((l) => l.what === 'called')).toHaveLength(3);
  expect(new Set(timeline.map((l) => l.id)).size).toBe(timeline.length);
});

describe('a consent that is asked for', () => {
  const ask: Step = { key: 'ask', kind: 'consent', channel: 'email', state: 'pending' };
  const link = (): string => /\/c\/([\w-]+)/.exec(world.postbox.mails.at(-1)?.text ?? '')?.[1] ?? '';
  const state = async (): Promise<unknown> =>
    (await world.pool.query<{ state: string }>(`select state from consents where channel = 'email'`)).rows[0]?.state;

  it('is pending until it is confirmed behind the link', async () => {
    await enter(
      [ask],
      reachable('1', (p) => (p.consent = {}))
    );
    expect(world.postbox.mails).toHaveLength(1);
    expect(await state()).toBe('pending');
    expect(await asking(world.pool, link())).toMatchObject({
      channel: 'email',
      address: '1@people.example',
      given: false
    });
    expect(await confirm(world.pool, link())).toBe(true);
    expect(await confirm(world.pool, link())).toBe(true);
    await settle(world.engine, false);
    expect(await state()).toBe('given');
    const { rows } = await world.pool.query(
      `select from happenings where name = 'consent_changed' and source = 'engine'`
    );
    expect(rows).toHaveLength(2);
  });
  it('is not asked where it is given', async () => {
    await enter([ask]);
    expect(world.postbox.mails).toHaveLength(0);
    expect(await state()).toBe('given');
  });
  it('whoever withdrew it is not written to', async () => {
    await enter(
      [ask],
      reachable('1', (p) => (p.consent = { email: 'withdrawn' }))
    );
    expect(world.postbox.mails).toHaveLength(0);
    expect(await state()).toBe('withdrawn');
  });
  it('a link does not bring back what was withdrawn since, and a made-up one is nothing', async () => {
    await enter(
      [ask],
      reachable('1', (p) => (p.consent = {}))
    );
    await skipTo(world, MONDAY + HOUR);
    await world.pool.query(`update consents set state = 'withdrawn', at = (select practice_now from workspace)`);
    expect(await confirm(world.pool, link())).toBe(false);
    expect(await asking(world.pool, 'x'.repeat(30))).toBeNull();
    expect(await state()).toBe('withdrawn');
  });
});
