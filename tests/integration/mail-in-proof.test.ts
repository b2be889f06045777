/** Who may act by mail: our key in the address, or a server that is trusted; everybody else is asked. And doors that hold. */
import { createConnection, type Socket } from 'node:net';
import { afterEach, beforeEach, expect, it, vi } from 'vitest';
import pino from 'pino';
import { HOUR, DAYS, journey, mail, MONDAY, reachable, wait } from '../make.ts';
import { runBatch } from '../../server/engine/batch.ts';
import { sendLetters } from '../../server/post/letters.ts';
import { errandKey, messageKey } from '../../server/mail/message-id.ts';
import { unsubscribed, unsubscribeTarget } from '../../server/intake/intake.ts';
import { signToken } from '../../server/intake/token.ts';
import { readTrusted } from '../../server/mail-in/proof.ts';
import { LIMITS, startReceiver } from '../../server/mail-in/receiver.ts';
import { takeMail, type MailIn } from '../../server/mail-in/take.ts';
import { askEntry } from '../../server/people/inputs.ts';
import { replies } from '../../server/results/replies.ts';
import { today } from '../../server/results/today.ts';
import { settle } from '../../server/running/skip.ts';
import { addPeople, dispatch, live, openWorld, skipTo, trailOf, type World } from './world.ts';

let world: World;
let mailIn: MailIn;
beforeEach(async () => {
  world = await openWorld();
  mailIn = { pool: world.pool, secret: world.secret, soft: { count: 3, within: 14 * DAYS } };
});
afterEach(() => world.close());

const query = async <T extends object>(words: string, ...values: unknown[]): Promise<T[]> =>
  (await world.pool.query<T>(words, values)).rows;
const consent = async (): Promise<unknown> =>
  (await query<{ state: string }>(`select state from consents where channel = 'email'`))[0]?.state;
async function begun(): Promise<void> {
  await addPeople(world.pool, [reachable('1')]);
  await live(world, journey([mail('a'), wait('w', 'P9D'), mail('b')]));
  await askEntry(world.pool, [1], 'try', 'test');
  await settle(world.engine, false);
  await skipTo(world, MONDAY + HOUR);
}
const FROM = 'From: Ada <1@people.example>\r\n';
const say = (
  words: string,
  {
    headers = '',
    to = 'desk@quillmoor.example',
    client = '203.0.113.9'
  }: { headers?: string; to?: string; client?: string } = {}
) =>
  takeMail(mailIn, Buffer.from(`${headers}${FROM}Subject: Re: Hello\r\n\r\n${words}\r\n`), {
    from: '1@people.example',
    to: [to],
    client
  });

it('a forged From unsubscribes nobody: the address is asked, once a day, by a mail with a link', async () => {
  await begun();
  expect(await say('unsubscribe')).toBe('asked');
  expect(await say('Unsubscribe me')).toBe('asked');
  await settle(world.engine, false);
  expect(await consent()).toBe('given');
  expect(await sendLetters(world.pool, world.engine.post)).toBe(1);
  const letter = world.postbox.mails.at(-1)!;
  expect(letter).toMatchObject({ to: '1@people.example', subject: 'Do you want no more emails from us?' });
  const token = /\/u\/([\w-]+)/.exec(letter.text)![1]!;
  expect(await unsubscribeTarget(world.pool, token)).toMatchObject({ address: '1@people.example', withdrawn: false });
  // Shown as saying who they are.
  expect((await replies(world.pool)).replies[0]).toMatchObject({ text: 'Unsubscribe me', claimed: true });
  expect(await unsubscribed(world.pool, token)).toBe(true);
  expect(await consent()).toBe('withdrawn');
  await skipTo(world, MONDAY + 2 * DAYS);
  await say('unsubscribe please');
  expect(await sendLetters(world.pool, world.engine.post)).toBe(1);
});

it('an answer with our key in its address acts at once, of a copy as well', async () => {
  await begun();
  const key = messageKey(world.secret, { person: 1, message: 1, copy: 1 });
  await query(`update messages set copies = '[{"was": "1@people.example"}]'`);
  expect(await say('Please remove me from your list', { to: `reply+${key}@quillmoor.example` })).toBe('stored');
  expect(await consent()).toBe('withdrawn');
});

it.each<[string, string, string, string]>([
  [
    'DMARC and DKIM passed',
    'mx.trusted.example; dkim=pass header.d=people.example; dmarc=pass header.from=people.example',
    '192.0.2.1',
    'withdrawn'
  ],
  [
    'DMARC and SPF passed, with comments',
    'mx.trusted.example (v1); spf=pass (all well) smtp.mailfrom=people.example; dmarc=pass',
    '192.0.2.1',
    'withdrawn'
  ],
  ['DMARC alone', 'mx.trusted.example; dmarc=pass', '192.0.2.1', 'given'],
  ['SPF alone', 'mx.trusted.example; spf=pass', '192.0.2.1', 'given'],
  [
    'of another domain',
    'mx.trusted.example; dkim=pass; dmarc=pass header.from=elsewhere.example',
    '192.0.2.1',
    'given'
  ],
  ['said by another server', 'mx.other.example; dkim=pass; dmarc=pass', '192.0.2.1', 'given'],
  ['handed over by somebody else', 'mx.trusted.example; dkim=pass; dmarc=pass', '203.0.113.9', 'given'],
  [
    'failed above, passed below: what stood in the mail when it came',
    'mx.trusted.example; dmarc=fail\r\nAuthentication-Results: mx.trusted.example; dkim=pass; dmarc=pass',
    '192.0.2.1',
    'given'
  ]
])('without a key, %s: %s', async (_, results, client, state) => {
  await begun();
  mailIn.trusted = readTrusted('mx.trusted.example@192.0.2.1');
  await say('unsubscribe', { headers: `Authentication-Results: ${results}\r\n`, client });
  expect(await consent()).toBe(state);
});

it('a hard bounce of a copy, of a question of consent and of a letter suppresses the address each went to', async () => {
  await begun();
  await query(`update messages set copies = '[{"was": "1@people.example"}]'`);
  const gone = (key: string, to = '1@people.example') =>
    takeMail(
      mailIn,
      Buffer.from(
        `From: mailer-daemon@mx.example\r\nContent-Type: multipart/report; report-type=delivery-status; boundary=b\r\n\r\n--b\r\nContent-Type: message/delivery-status\r\n\r\nFinal-Recipient: rfc822; ${to}\r\nAction: failed\r\nStatus: 5.1.1\r\n\r\n--b--\r\n`
      ),
      { from: '', to: [`bounce+${key}@quillmoor.example`] }
    );
  const suppressed = async (): Promise<string[]> =>
    (await query<{ address: string }>('select address from suppressions order by 1')).map((r) => r.address);
  expect(await gone(messageKey(world.secret, { person: 1, message: 1, copy: 1 }))).toBe('stored');
  expect(await suppressed()).toEqual(['1@people.example']);
  await query('delete from suppressions');
  await query(
    `insert into errands (person_id, kind, walk_id, journey_id, version, step, visit, record, at, state, address)
     values (1, 'ask', 1, 1, 1, 'ask', 1, 1, now(), 'done', 'asked@people.example')`
  );
  const [errand] = await query<{ id: number }>('select id from errands');
  expect(await gone(errandKey(world.secret, { person: 1, errand: errand!.id }))).toBe('stored');
  expect(await suppressed()).toEqual(['asked@people.example']);
});

it('a bounce that comes before the record that it went out counts once that is there', async () => {
  await addPeople(world.pool, [reachable('1', (p) => void p.fields.delete('phone'))]);
  await live(world, journey([mail('a'), wait('w', 'P9D'), mail('b')]));
  await askEntry(world.pool, [1], 'try', 'test');
  // The server answers only once the bounce has been through.
  world.postbox.setDelay(1500);
  await runBatch(world.pool, world.engine.plans);
  const sending = dispatch(world);
  await vi.waitFor(() => expect(world.postbox.mails).toHaveLength(1), { timeout: 10_000 });
  const key = messageKey(world.secret, { person: 1, message: 1 });
  await takeMail(
    mailIn,
    Buffer.from('From: mailer-daemon@mx.example\r\nSubject: failure notice\r\n\r\n550 5.1.1 no such user\r\n'),
    { from: '', to: [`bounce+${key}@quillmoor.example`] }
  );
  await sending;
  expect(await query('select state, trouble, early_bounce from messages')).toEqual([
    { state: 'bounced', trouble: 'mailbox', early_bounce: null }
  ]);
  await skipTo(world, MONDAY + DAYS);
  expect((await trailOf(world.pool)).at(-1)).toMatchObject({ what: 'left', reason: 'bounced' });
});

it('a link to unsubscribe lives for as long as the person does, whatever becomes of its message', async () => {
  await begun();
  const token = signToken(world.secret, 'unsubscribe', { person: 1, message: 1, number: 1 });
  await query('delete from messages');
  expect(await unsubscribeTarget(world.pool, token)).toMatchObject({ address: '1@people.example', channel: 'email' });
  expect(await unsubscribed(world.pool, token)).toBe(true);
  expect(await consent()).toBe('withdrawn');
  await skipTo(world, MONDAY + 2 * DAYS);
  expect((await trailOf(world.pool)).at(-1)).toMatchObject({ what: 'left', reason: 'unsubscribed' });
});

it('mail about nothing of ours is told on Today', async () => {
  await takeMail(mailIn, Buffer.from('From: x@y.example\r\nSubject: Hello\r\n\r\nWho are you?\r\n'), {
    from: 'x@y.example',
    to: ['desk@quillmoor.example']
  });
  expect((await today(world.pool)).needs.filter((n) => n.kind === 'stray')).toMatchObject([
    { title: '1 mail about nothing of ours', detail: expect.stringContaining('x@y.example') as string }
  ]);
});

it('one address keeps nobody out: its connections, its mails and its time are limited, and what takes too long to read is given up', async () => {
  const receiver = await startReceiver(
    mailIn,
    { port: 0, host: '127.0.0.1', domain: 'quillmoor.example', name: 'in.quillmoor.example' },
    pino({ enabled: false }),
    { ...LIMITS, connections: 3, sessionMs: 700, mailsAMinute: 2 }
  );
  const answers = (socket: Socket): Promise<string> =>
    new Promise((resolve) => socket.once('data', (d) => resolve(String(d))));
  const idle = [];
  for (let i = 0; i < 4; i++) {
    const socket = createConnection(receiver.port, '127.0.0.1');
    idle.push([socket, await answers(socket)] as const);
  }
  expect(idle.map(([, said]) => said.slice(0, 3))).toEqual(['220', '220', '220', '421']);
  // They are shown out, and then there is room again.
  await Promise.all(idle.map(([socket]) => new Promise((resolve) => socket.once('close', resolve).resume())));
  const socket = createConnection(receiver.port, '127.0.0.1');
  expect((await answers(socket)).slice(0, 3)).toBe('220');
  const said: string[] = [];
  for (const line of [
    'EHLO x',
    'MAIL FROM:<a@b.example>',
    'RSET',
    'MAIL FROM:<a@b.example>',
    'RSET',
    'MAIL FROM:<a@b.example>'
  ]) {
    socket.write(`${line}\r\n`);
    said.push((await answers(socket)).slice(0, 3));
  }
  expect(said).toEqual(['250', '250', '250', '250', '250', '451']);
  socket.destroy();
  await receiver.close();
});
