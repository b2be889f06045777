/**
 * Everything fails at once: workers and PostgreSQL killed with -9, the disk full on one statement in so many, mail lines cut
 * in each phase, a gateway that lies, a hook that falters, every event told up to five times by two at once. Afterwards each
 * walk's trail is the one that an undisturbed replay gives, every message arrived, once for its id, and nobody stands where
 * nothing will wake them. `ROUNDS`, `KILLS` and `SEED` set how much of it (`npm run test:faults`); with `REAL`, one round more has
 * Debian's mail server in between, where that is installed.
 */
import { fork, type ChildProcess } from 'node:child_process';
import { chmodSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { freePort, startCluster, type Cluster } from '../../bin/postgres.ts';
import type { Journey } from '../../core/journey/schema.ts';
import type { PersonState } from '../../core/person/state.ts';
import { parseHappenings } from '../../core/replay/happenings.ts';
import { replay, type PrintedLine } from '../../core/replay/replay.ts';
import { askSkip, latestSkip } from '../../server/running/skip.ts';
import { readClock } from '../../server/workspace/clock.ts';
import { migrate } from '../../server/db/migrate.ts';
import { openPool, ts, type Pool } from '../../server/db/pool.ts';
import { takeEvents } from '../../server/intake/events.ts';
import { SettingsBook } from '../../server/workspace/settings.ts';
import { saveSettings } from '../../server/settings/save.ts';
import { createJourney } from '../../server/journeys/journeys.ts';
import { setLive } from '../../server/journeys/going-live.ts';
import { startHandset, type Handset } from '../../standins/handset.ts';
import { startPostbox, type Postbox } from '../../standins/postbox.ts';
import { DAYS, HOUR, journey, mail, MONDAY, put, reachable, settings, text, wait } from '../make.ts';
import { cutLine, draws, falteringHook, lyingGateway, type CutLine, type Hook, type Liar } from './unreliable.ts';
import { hasPostfix, startPostfix, type Postfix } from './postfix.ts';
import { addPeople, trailOf } from './world.ts';

const ROUNDS = Number(process.env['ROUNDS'] ?? 1);
const KILLS = Number(process.env['KILLS'] ?? 10);
const MOMENTS = Number(process.env['MOMENTS'] ?? 2);
const SEED = Number(process.env['SEED'] ?? 20270301);
const PEOPLE = Number(process.env['PEOPLE'] ?? 240);
const WORKERS = 3;
const REAL = process.env['REAL'] === '1';
const UNTIL = MONDAY + 12 * DAYS;

let dir: string;
let cluster: Cluster;
let url: string;
let pool: Pool;
let postbox: Postbox;
let handset: Handset;
let line: CutLine;
let gateway: Liar;
let hook: Hook;
let real: Postfix | null = null;
let draw: (n: number) => number;
const workers = new Map<string, ChildProcess>();
const killed = new Map<string, number>();
let started = 0;

beforeAll(async () => {
  dir = mkdtempSync(join(tmpdir(), 'ambulo-faults-'));
  chmodSync(dir, 0o755);
  draw = draws(SEED);
  cluster = await startCluster({ dir: join(dir, 'postgres'), port: await freePort(), careless: true });
  postbox = await startPostbox({ smtp: 0, http: 0 });
  handset = await startHandset({ port: 0, webhook: () => 'http://127.0.0.1:9/none', secret: 'x'.repeat(32) });
  line = await cutLine(postbox.smtpPort, draw);
  gateway = await lyingGateway(handset.port, draw);
  hook = await falteringHook(draw);
});
afterAll(async () => {
  for (const child of workers.values()) child.kill('SIGKILL');
  await Promise.all([line.close(), gateway.close(), hook.close()]);
  await real?.stop();
  await Promise.all([postbox.close(), handset.close()]);
  await cluster.stop();
  rmSync(dir, { recursive: true, force: true });
});

/** A worker of its own process; mail servers know it by its name. */
function startWorker(): void {
  const name = `worker-${++started}`;
  const child = fork('bin/ambulo', ['worker'], {
    execArgv: [],
    stdio: process.env['SAY'] ? 'inherit' : 'ignore',
    env: {
      PATH: process.env['PATH'],
      HOME: process.env['HOME'],
      DATABASE_URL: url,
      AMBULO_URL: 'http://127.0.0.1:9999',
      AMBULO_DEMO: '1',
      SMTP_URL: `smtp://127.0.0.1:${line.port}`,
      SMTP_NAME: name,
      MAIL_FROM: 'Test <desk@test.example>',
      MAIL_DOMAIN: 'test.example',
      SMS_FROM: 'Test',
      SMS_URL: `http://127.0.0.1:${gateway.port}`,
      SMS_SECRET: 'x'.repeat(32),
      CALL_ALLOWED: new URL(hook.url).host
    }
  });
  workers.set(name, child);
}

function kill(): void {
  // The oldest: the others are just starting.
  const [name, child] = [...workers][0]!;
  workers.delete(name);
  child.kill('SIGKILL');
  killed.set(name, Date.now());
  startWorker();
}

/** What it is at, for whoever watches a long run: `SAY=1`. */
const say = (words: string): void =>
  void (process.env['SAY'] && process.stdout.write(`${new Date().toISOString().slice(11, 19)} ${words}\n`));

const sleep = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms));

/** Of everything a little: messages, answers, errands, hand-over, loop, and what the settings share. */
function journeys(): Journey[] {
  return [
    journey(
      [
        mail('a'),
        {
          key: 'l',
          kind: 'listen',
          for: [
            { label: 'clicked', when: { happening: 'clicked', of: 'a' }, lane: [put('keen')] },
            { label: 'bought', when: { happening: 'purchased' }, lane: [text('t')] }
          ],
          limit: 'P2D',
          otherwise: { label: 'quiet', lane: [{ key: 'tell', kind: 'notify', to: 'Nuala', text: 'Quiet' }] }
        },
        { key: 'post', kind: 'call', url: hook.url },
        { key: 'k', kind: 'task', title: 'Ring', await: { limit: 'P1D' } },
        {
          key: 'half',
          kind: 'split',
          lanes: [
            { label: 'one', weight: 1, lane: [mail('b')] },
            { label: 'other', weight: 1, lane: [text('u')] }
          ]
        },
        { key: 'points', kind: 'score', score: 'interest', add: 2 },
        { key: 'ask', kind: 'consent', channel: 'sms', state: 'pending' },
        { key: 'on', kind: 'handover', journey: 'two', stay: true },
        wait('w', 'P2D'),
        mail('c'),
        { key: 'back', kind: 'loop', to: 'w', atMost: 1 }
      ],
      {
        entry: { on: [{ happening: 'tag_added', tag: 'in' }], existing: true },
        goal: { when: [{ happening: 'purchased', product: 'membership' }, { happening: 'refunded' }], within: 'P9D' }
      }
    ),
    journey(
      [
        { key: 'n', kind: 'list', add: ['news'] },
        mail('d'),
        wait('v', 'P1D'),
        { key: 'e', kind: 'call', url: hook.url }
      ],
      {
        key: 'two',
        entry: {
          on: [
            { happening: 'segment_joined', segment: 'keen' },
            { happening: 'rung_changed', to: 'cold' }
          ],
          again: 'again'
        }
      }
    )
  ];
}
const shared = settings({
  zone: 'Europe/Dublin',
  segments: [
    {
      name: 'keen',
      when: {
        any: [
          { score: 'interest', gte: 5 },
          { field: 'visit', last: 'P3D' }
        ]
      }
    }
  ],
  limits: [{ channel: 'sms', atMost: 1, per: 'P2D' }],
  ladders: [
    { name: 'warmth', counts: [{ happening: 'clicked' }], rungs: [{ name: 'warm', upTo: 'P3D' }], after: 'cold' }
  ],
  scores: [{ name: 'interest', rules: [{ when: { happening: 'page_seen' }, add: 3 }], decay: { by: 1, every: 'P1D' } }]
});

const crowd = (): PersonState[] =>
  Array.from({ length: PEOPLE }, (_, i) =>
    reachable(String(i + 1), (p) => {
      p.fields.set('phone', `+4477009${String(i).padStart(5, '0')}`);
      if (i % 3) p.tags.add('in');
      if (i % 4 === 0) p.fields.set('visit', '2027-03-04');
      if (i % 5 === 0) p.consent = { email: 'given' };
    })
  );

interface Event {
  specversion: '1.0';
  id: string;
  source: string;
  type: string;
  time: string;
  subject: string;
  data: object;
}

/** What everybody does at an instant: one thing each, or nothing. */
function happened(at: number, seen: ReadonlySet<string>, act: (n: number) => number): Event[] {
  const event = (person: number, type: string, data: object): Event => ({
    specversion: '1.0',
    id: `${at}/${person}`,
    source: '/street',
    type: `ambulo.${type}`,
    time: new Date(at).toISOString(),
    subject: String(person),
    data
  });
  return Array.from({ length: PEOPLE }, (_, i) => i + 1).flatMap((person): Event[] => {
    switch (act(9)) {
      case 0:
      case 1:
        return seen.has(`${person}`)
          ? [event(person, 'clicked', { of: 'a', link: 'https://quillmoor.example/a' })]
          : [];
      case 2:
        return [
          event(person, 'purchased', {
            order: `o${at}-${person}`,
            amount: 30,
            items: [{ sku: person % 2 ? 'seat' : 'membership', price: 30, quantity: 1 }]
          })
        ];
      case 3:
        return [event(person, 'page_seen', { url: 'https://quillmoor.example/seats' })];
      case 4:
        return [event(person, 'set', { addTags: ['in'], fields: { visit: '2027-03-06' } })];
      case 5:
        return seen.has(`${person}`) ? [event(person, 'unsubscribed', { of: 'a' })] : [];
      default:
        return [];
    }
  });
}

/** Tells each event up to five times, two at once, in another order each time. A door that is shut is knocked at again. */
async function tell(events: Event[], book: SettingsBook): Promise<void> {
  const shuffled = (): Event[] =>
    events
      .map((e) => [draw(1000), e] as const)
      .sort((a, b) => a[0] - b[0])
      .map(([, e]) => e);
  const knock = async (some: Event[]): Promise<void> => {
    for (let i = 0; i < some.length; i += 100)
      for (;;) {
        const taken = await takeEvents(pool, book, some.slice(i, i + 100)).catch(() => null);
        if (taken) {
          expect(taken.refused).toEqual([]);
          break;
        }
        await sleep(200);
      }
  };
  await Promise.all([knock(events), knock(shuffled())]);
  await Promise.all([knock(shuffled().slice(0, events.length / 2)), knock(shuffled())]);
  await knock(shuffled().slice(0, 20));
}

/** The disk is full for one statement in so many, on each of the tables that a batch or an outbox writes. */
async function fillDisk(oneOf: number): Promise<void> {
  await pool.query(`
    create sequence statements;
    create function disk_is_full() returns trigger language plpgsql as $$
    begin
      if nextval('statements') % ${oneOf} = 0 then
        raise exception 'could not extend file: No space left on device' using errcode = 'disk_full';
      end if;
      return null;
    end $$;`);
  for (const table of ['trail', 'happenings', 'messages', 'walks', 'agenda', 'errands', 'counters', 'crowds'])
    await pool.query(
      `create trigger full_disk after insert or update on ${table} for each statement execute function disk_is_full()`
    );
}

const mended = (table: string): Promise<unknown> => pool.query(`drop trigger if exists full_disk on ${table}`);

async function untilDone(target: number): Promise<void> {
  // A request for a skip may itself be lost with the database.
  for (;;) {
    const state = await latestSkip(pool).catch(() => null);
    const clock = await readClock(pool).catch(() => null);
    if (clock && clock.now >= target && state?.state === 'done') return;
    if (clock && clock.now < target && (!state || state.state === 'done' || state.state === 'failed'))
      await askSkip(pool, target, false, 'test').catch(() => undefined);
    await sleep(150);
  }
}

/** Lines by person, as text: the database keeps keys in an order of its own. */
const sayings = (lines: readonly Record<string, unknown>[]): Map<string, string[]> => {
  const by = new Map<string, string[]>();
  for (const { person, ...rest } of lines) {
    const line = JSON.stringify(Object.fromEntries(Object.entries(rest).sort(([a], [b]) => (a < b ? -1 : 1))));
    by.set(String(person), [...(by.get(String(person)) ?? []), line]);
  }
  return by;
};

async function round(n: number): Promise<void> {
  url = await cluster.createDatabase(`round_${n}`);
  pool = openPool(url);
  await migrate(pool);
  await pool.query(
    `insert into workspace (name, zone, clock, practice_now, secret) values ('Test', 'Europe/Dublin', 'practice', $1, $2)`,
    [ts(MONDAY), Buffer.alloc(32, n + 1)]
  );
  await pool.query(`insert into users (email, name, password_hash) values ('nuala@test.example', 'Nuala', 'x')`);
  await addPeople(pool, crowd());
  expect(await saveSettings(pool, shared, 'test')).toEqual({ ok: true });
  postbox.mails.length = 0;
  const texts = handset.texts.length;
  hook.calls.clear();
  line.unheard.clear();
  // Everybody is looked at before anything is live: who is in a segment then is in it silently.
  startWorker();
  await expect
    .poll(async () => (await pool.query(`select from crowds where state <> 'done'`)).rowCount, { timeout: 60_000 })
    .toBe(0);
  await expect
    .poll(async () => (await pool.query(`select from happenings where handled_at is null limit 1`)).rowCount, {
      timeout: 60_000
    })
    .toBe(0);

  await fillDisk(31);
  for (const neighbour of [line, gateway, hook]) neighbour.setTrouble(5);
  postbox.setDelay(30);
  for (const made of journeys()) await createJourney(pool, made, 'test');
  while (workers.size < WORKERS) startWorker();
  for (const { key } of journeys())
    for (let live = false; !live;) {
      const result = await setLive(pool, key, 1, 'test').catch(() => null);
      if (result && !result.ok && !/already/.test(result.message)) throw new Error(result.message);
      live = result !== null;
    }

  const book = new SettingsBook();
  const events: Event[] = [];
  const seen = new Set<string>();
  const act = draws(SEED + n);
  let outages = 0;
  // At these minutes nobody’s clock has anything to do: what is told then comes after no timer of the same instant. What is told
  // at one of them sets off waits of whole days, so each has a minute of its own.
  const moments = [20 * HOUR, 3 * DAYS, 5 * DAYS, 7 * DAYS]
    .slice(0, MOMENTS)
    .map((after, i) => MONDAY + after + (7 + i) * 60_000);
  for (const [i, at] of moments.entries()) {
    say(`on the way to moment ${i}, ${workers.size} workers, ${url}`);
    // The instant is reached while things are killed; so many at each.
    let reached = false;
    const way = untilDone(at).then(() => (reached = true));
    for (let k = 0; k < KILLS / moments.length || !reached; k++) {
      await sleep(250 + draw(700));
      if (k < KILLS / moments.length) kill();
      if (k === 2) {
        outages++;
        await cluster.kill();
        await sleep(1000 + draw(1000));
        cluster = await startCluster({ dir: join(dir, 'postgres'), port: cluster.port, careless: true });
      }
    }
    await way;
    say(`there; telling ${events.length} and more`);
    for (const m of postbox.mails) if (m.subject === 'About a') seen.add(m.to.split('@')[0]!);
    const now = happened(at, seen, act);
    events.push(...now);
    await tell(now, book);
  }
  for (const neighbour of [line, gateway, hook]) neighbour.setTrouble(0);
  postbox.setDelay(0);
  for (const table of ['trail', 'happenings', 'messages', 'walks', 'agenda', 'errands', 'counters', 'crowds'])
    await mended(table);
  say('all is mended');
  await untilDone(UNTIL);
  say('done');

  // The same happenings, undisturbed.
  const people = crowd();
  const made = journeys();
  const { inputs, problems } = parseHappenings(events.map((e) => JSON.stringify(e)).join('\n'), {
    people: new Map(people.map((p) => [p.id, p])),
    journeys: new Set(made.map((j) => j.key))
  });
  expect(problems).toEqual([]);
  const expected: PrintedLine[] = replay({
    journeys: made,
    settings: shared,
    people,
    inputs,
    from: MONDAY,
    until: UNTIL
  });
  const trail = await trailOf(pool);
  expect(trail.length).toBeGreaterThan(PEOPLE * 5);
  const [ours, theirs] = [sayings(trail), sayings(expected)];
  for (const [person, lines] of theirs) expect(ours.get(person), `the trail of ${person}`).toEqual(lines);
  expect(trail).toHaveLength(expected.length);

  // Every message is there once for its id, and nothing else.
  const said = (what: string, more: object = {}): number =>
    expected.filter((l) => l['what'] === what && Object.entries(more).every(([k, v]) => l[k] === v)).length;
  const asked = await pool.query<{ kind: string; n: number }>(
    `select kind, count(*) as n from errands where state = 'done' group by 1 order by 1`
  );
  const errands = new Map(asked.rows.map((r) => [r.kind, r.n]));
  expect(errands.get('notify')).toBe(said('notified'));
  // What a server in between has taken, it passes on a moment later.
  if (real) await expect.poll(() => real?.idle(), { timeout: 60_000 }).toBe(true);
  expect(postbox.mails).toHaveLength(said('sent', { channel: 'email' }) + said('notified'));
  expect(handset.texts.length - texts).toBe(said('sent', { channel: 'sms' }) + (errands.get('ask') ?? 0));
  expect(hook.calls.size).toBe(said('called'));
  expect(new Set(postbox.mails.map((m) => m.messageId)).size).toBe(postbox.mails.length);

  // A mail comes a second time only where nobody could know that it had come.
  let twice = 0;
  // A server in between writes whole seconds.
  const seconds = real ? 1000 : 0;
  for (const { messageId, senders } of postbox.mails)
    for (const [i, sender] of senders.entries()) {
      const next = senders[i + 1];
      if (!next) continue;
      twice++;
      if (line.unheard.has(messageId)) continue;
      const died = killed.get(sender.name) ?? Infinity;
      expect(died, `${sender.name} lived on`).toBeGreaterThanOrEqual(sender.at - 1000 - seconds);
      expect(died, `${sender.name} lived when it was sent again`).toBeLessThan(next.at + seconds);
    }

  // Nobody stands where nothing will wake them; nothing is left over or set aside.
  const left = await pool.query(`
    select 'a walk that nothing wakes' as what from walks w left join agenda a on a.person_id = w.person_id
      where w.state = 'walking' and (w.standing is null or a.next_at is null or a.next_at > w.due_at)
    union all select 'a happening' from happenings where handled_at is null
    union all select 'a message ' || state from messages where state not in ('sent', 'withheld')
    union all select 'an errand ' || state from errands where state <> 'done' and kind <> 'task'
    union all select 'a crowd' from crowds where state <> 'done'
    union all select 'set aside: ' || error from set_aside`);
  expect(left.rows).toEqual([]);
  const full = await pool.query<{ n: number }>(`select last_value / 31 as n from statements`);
  process.stdout.write(
    `round ${n}: ${trail.length} lines, ${killed.size} kills so far, ${outages} outages, full disk ${full.rows[0]?.n} times, ` +
      `${Object.entries(line.cuts)
        .map(([p, c]) => `${c} cut ${p}`)
        .join(', ')}, ${JSON.stringify(gateway.told)}, ${twice} mails twice\n`
  );
  expect(Object.values(line.cuts).every((c) => c > 0)).toBe(true);
  for (const child of workers.values()) child.kill('SIGKILL');
  workers.clear();
  await pool.end();
}

it(
  'whatever fails, every walk is the undisturbed one, and every message arrives, once for its id',
  async () => {
    for (let n = 0; n < ROUNDS; n++) await round(n);
  },
  1_800_000 * ROUNDS
);

it.runIf(REAL && hasPostfix())(
  'behind a mail server of its own right, too',
  async () => {
    real = await startPostfix(join(dir, 'postfix'), postbox.smtpPort);
    await line.close();
    line = await cutLine(real.port, draw);
    await round(ROUNDS);
  },
  1_800_000
);
