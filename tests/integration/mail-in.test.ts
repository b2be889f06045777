/** Mail that comes in, over real SMTP: answers, reports, complaints and unsubscriptions, from the Postbox and from strangers. */
import nodemailer from 'nodemailer';
import pino from 'pino';
import { afterEach, beforeEach, expect, it } from 'vitest';
import { startReceiver, type Receiver } from '../../server/mail-in/receiver.ts';
import { settle } from '../../server/running/skip.ts';
import { makeEngine } from '../../server/running/context.ts';
import { sendBack, type AnswerKind } from '../../standins/postbox-answers.ts';
import type { Step } from '../../core/steps/index.ts';
import { DAYS, HOUR, journey, mail, MONDAY, put, reachable, wait } from '../make.ts';
import { addPeople, live, openWorld, skipTo, trailOf, type World } from './world.ts';
import { askEntry } from '../../server/people/inputs.ts';

let world: World;
let receiver: Receiver;
beforeEach(async () => {
  world = await openWorld();
  world.engine = makeEngine(world.pool, { ...world.engine.post, takesMail: true }, null, 0);
  receiver = await startReceiver(
    { pool: world.pool, secret: world.secret, soft: { count: 3, within: 14 * DAYS } },
    { port: 0, host: '127.0.0.1', domain: 'quillmoor.example', name: 'in.quillmoor.example' },
    pino({ enabled: false })
  );
});
afterEach(async () => {
  await receiver.close();
  await world.close();
});

const answering = (when: object): Step[] => [
  mail('a'),
  {
    key: 'l',
    kind: 'listen',
    for: [{ label: 'heard', when, lane: [put('heard')] }],
    limit: 'P5D',
    otherwise: { label: 'not', lane: [] }
  } as Step
];
async function send(steps: Step[]): Promise<void> {
  await addPeople(world.pool, [reachable('1')]);
  await live(world, journey(steps));
  await askEntry(world.pool, [1], 'try', 'test');
  await settle(world.engine, false);
  await skipTo(world, MONDAY + HOUR);
}
async function back(kind: AnswerKind, text = ''): Promise<void> {
  await sendBack({ port: receiver.port }, world.postbox.mails.at(-1)!, kind, text, MONDAY + HOUR);
  await settle(world.engine, false);
}
const taken = async (): Promise<unknown[]> =>
  (await trailOf(world.pool)).map((l) => [l['what'], l['step'] ?? l['reason']].filter(Boolean).join(' '));
const happened = async (): Promise<Record<string, unknown>[]> =>
  (
    await world.pool.query<Record<string, unknown>>(
      `select name, step, data from happenings where source = 'mail' order by id`
    )
  ).rows;
const strays = async (): Promise<Record<string, unknown>[]> =>
  (await world.pool.query<Record<string, unknown>>('select * from stray_mails')).rows;
async function stranger(envelope: { from: string; to: string | string[] }, raw: string): Promise<string> {
  const transport = nodemailer.createTransport({ host: '127.0.0.1', port: receiver.port, ignoreTLS: true });
  try {
    await transport.sendMail({ envelope, raw });
    return 'taken';
  } catch (error) {
    return String((error as { responseCode?: number }).responseCode);
  } finally {
    transport.close();
  }
}

it('an answer is heard by whoever listens for it, without what it quotes', async () => {
  await send(answering({ happening: 'replied', of: 'a', matches: ['yes'] }));
  await back('reply', 'Yes');

  expect(await taken()).toEqual(['entered', 'sent a', 'waiting l', 'took l', 'tagged put-heard', 'left']);
  expect(await happened()).toMatchObject([{ name: 'replied', step: 'a', data: { channel: 'email', text: 'Yes' } }]);
  const { rows } = await world.pool.query('select replied_at from messages');
  expect(rows[0]).toEqual({ replied_at: MONDAY + HOUR });
});

it('an automatic answer is on record, and matches nothing', async () => {
  await send(answering({ happening: 'replied', of: 'a' }));
  await back('away');
  expect(await taken()).toEqual(['entered', 'sent a', 'waiting l']);
  expect(await happened()).toMatchObject([{ name: 'replied', data: { machine: true } }]);
});

it('sent back for good: the address is suppressed, the walk leaves, the message shows it', async () => {
  await send([mail('a'), wait('w', 'P1D'), mail('b')]);
  await back('gone');
  await skipTo(world, MONDAY + 3 * DAYS);
  expect(await taken()).toEqual(['entered', 'sent a', 'waiting w', 'left bounced']);
  expect((await world.pool.query('select address from suppressions')).rows).toEqual([{ address: '1@people.example' }]);
  expect((await world.pool.query('select state, error from messages')).rows).toEqual([
    { state: 'bounced', error: '550 5.1.1 no such mailbox' }
  ]);
});

it.each<AnswerKind>(['full', 'prose'])('sent back by a server in other ways: %s', async (kind) => {
  await send(answering({ happening: 'bounced', of: 'a' }));
  await back(kind);
  expect(await taken()).toContain('took l');
  expect(await happened()).toMatchObject([{ name: 'bounced', data: { hard: kind === 'prose' } }]);
});

it('soft on three days is hard; three times on one day is not', async () => {
  await send([mail('a'), wait('w', 'P30D'), mail('b')]);
  for (let i = 0; i < 3; i++) {
    await sendBack({ port: receiver.port }, world.postbox.mails[0]!, 'full', '', MONDAY + HOUR + i);
    await settle(world.engine, false);
  }
  expect((await world.pool.query('select * from suppressions')).rows).toEqual([]);
  for (const day of [1, 2]) {
    await skipTo(world, MONDAY + day * DAYS);
    await sendBack({ port: receiver.port }, world.postbox.mails[0]!, 'full', '', MONDAY + day * DAYS);
    await settle(world.engine, false);
  }
  expect((await world.pool.query('select * from suppressions')).rows).toHaveLength(1);
});

it.each<AnswerKind>(['spam', 'unsubscribe'])('%s withdraws the consent', async (kind) => {
  await send([mail('a'), wait('w', 'P1D'), mail('b')]);
  await back(kind);
  expect(await taken()).toContain('left unsubscribed');
  expect((await world.pool.query(`select state from consents where channel = 'email'`)).rows).toEqual([
    { state: 'withdrawn' }
  ]);
});

it('the same mail twice, also by two at once, is one', async () => {
  await send(answering({ happening: 'replied', of: 'a' }));
  await Promise.all([back('reply', 'Yes'), back('reply', 'Yes')]);
  const raw = `From: 1@people.example\r\nMessage-ID: <same@people.example>\r\nSubject: Hello\r\n\r\nHello\r\n`;
  const envelope = { from: '1@people.example', to: 'desk@quillmoor.example' };
  expect(await Promise.all([stranger(envelope, raw), stranger(envelope, raw)])).toEqual(['taken', 'taken']);
  expect(await happened()).toHaveLength(
    (await happened()).filter((h) => (h['data'] as { text: string }).text === 'Yes').length + 1
  );
});

it('mail about nobody here, with a forged id, or that cannot be read is kept, and nothing comes of it', async () => {
  await send([mail('a'), wait('w', 'P1D')]);
  const key = /bounce\+([^@]+)@/.exec(world.postbox.mails[0]!.returnPath)![1]!;
  const forged = key.replace(/.$/, (c) => (c === '0' ? '1' : '0'));
  const gone = (id: string) =>
    stranger(
      { from: '', to: `bounce+${id}@quillmoor.example` },
      'From: MAILER-DAEMON@x.example\r\nSubject: failure notice\r\n\r\n550 5.1.1 no such user\r\n'
    );
  expect(await gone(forged)).toBe('taken');
  expect(await gone('1.1.000000000000000')).toBe('taken');
  expect(
    await stranger(
      { from: 'nobody@x.example', to: 'desk@quillmoor.example' },
      'From: nobody@x.example\r\nSubject: Hi\r\n\r\nWho are you?\r\n'
    )
  ).toBe('taken');
  expect(await strays()).toHaveLength(3);
  expect(await happened()).toEqual([]);
  expect((await world.pool.query('select * from suppressions')).rows).toEqual([]);
});

it('mail for others, too large mail and too many recipients are refused; the next is taken', async () => {
  expect(await stranger({ from: 'a@b.example', to: 'someone@elsewhere.example' }, 'x')).toBe('550');
  expect(
    await stranger(
      { from: 'a@b.example', to: 'desk@quillmoor.example' },
      `Subject: x\r\n\r\n${'y'.repeat(998)}\r\n`.repeat(12_000)
    )
  ).toBe('552');
  const many = Array.from({ length: 30 }, (_, i) => `d${i}@quillmoor.example`);
  expect(await stranger({ from: 'a@b.example', to: many }, 'Subject: x\r\n\r\nhello')).toBe('taken');
  expect(await strays()).toHaveLength(1);
});

it('a database that is away: the mail has to come again, and then it is taken', async () => {
  await send([mail('a')]);
  await world.pool.query('alter table happenings rename to away');
  await world.pool.query('alter table stray_mails rename to also_away');
  const raw = 'From: 1@people.example\r\nSubject: Hi\r\n\r\nHello\r\n';
  const envelope = { from: '1@people.example', to: 'desk@quillmoor.example' };
  expect(await stranger(envelope, raw)).toBe('451');
  await world.pool.query('alter table away rename to happenings');
  await world.pool.query('alter table also_away rename to stray_mails');
  expect(await stranger(envelope, raw)).toBe('taken');
  expect(await happened()).toHaveLength(1);
});
