/** Handing messages over: what arrives, what is tried again, what an answer means, what is never sent twice. */
import { mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { createServer, type AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { DAYS, HOUR, journey, mail, MONDAY, reachable, text, wait } from '../make.ts';
import type { Step } from '../../core/steps/index.ts';
import { MINUTE } from '../../core/time/duration.ts';
import { heldBack, liftSuppression, sendAgain, sendCopy, tryNow } from '../../server/post/again.ts';
import { makeEngine } from '../../server/running/context.ts';
import { startPostbox } from '../../standins/postbox.ts';
import { runBatch } from '../../server/engine/batch.ts';
import { liftMany, settleDoubt, suppressionGroups } from '../../server/post/doubts.ts';
import { alikeness, resume } from '../../server/post/channels.ts';
import { openMailer } from '../../server/mail/smtp.ts';
import { messageKey, readMessageKey } from '../../server/mail/message-id.ts';
import { backoff, MOST_TRIES } from '../../server/post/outbox-record.ts';
import { clicked } from '../../server/intake/intake.ts';
import { readToken } from '../../server/intake/token.ts';
import { transaction } from '../../server/db/pool.ts';
import { textReported } from '../../server/intake/texts.ts';
import { takeMail } from '../../server/mail-in/take.ts';
import { askChange } from '../../server/people/inputs.ts';
import { personPage } from '../../server/people/people.ts';
import { today } from '../../server/results/today.ts';
import { addPeople, dispatch, live, openWorld, skipTo, trailOf, type World, READER } from './world.ts';

let world: World;
beforeEach(async () => {
  world = await openWorld();
});
afterEach(() => world.close());

const messages = async () =>
  (
    await world.pool.query<{
      state: string;
      attempts: number;
      error: string | null;
      trouble: string | null;
      waits: number;
    }>(
      `select state, attempts, error, trouble, extract(epoch from not_before - clock_timestamp()) as waits from messages order by id`
    )
  ).rows;
const enter = async (...lane: Step[]): Promise<void> => {
  await live(world, journey(lane));
  await askChange(world.pool, [1], { addTags: ['in'] }, 'test');
};
const many = (n: number, name = 'p') =>
  Array.from({ length: n }, (_, i) =>
    reachable(`${name}${i}`, (p) => void p.fields.set('phone', `+4477009${10000 + i}`))
  );
const enterMany = async (n: number, ...lane: Step[]): Promise<void> => {
  const ids = await addPeople(world.pool, many(n));
  await live(world, journey(lane));
  await askChange(world.pool, ids, { addTags: ['in'] }, 'test');
  await runBatch(world.pool, world.engine.plans);
};
/** All waits over, as time would do. */
const waited = () =>
  world.pool.query(
    `update messages set not_before = clock_timestamp() where not_before is not null and state = 'queued'`
  );
const id = (message: number) => `<${messageKey(world.secret, { person: message, message })}@quillmoor.example>`;

describe('an email', () => {
  it('arrives by SMTP: both parts, personal fields, one-click unsubscribe, an address to bounce to', async () => {
    await addPeople(world.pool, [reachable('p', (p) => void p.fields.set('first_name', 'Ada <b>'))]);
    await enter({
      ...mail('a'),
      subject: 'Hi {{ person.first_name | default: "there" }}\r\nBcc: x@x.example',
      preview: 'Before all',
      replyTo: 'visits@quillmoor.example',
      text: 'Hello {{ person.first_name }}, {{ person.nickname | default: "stargazer" }}\n\nhttps://quillmoor.example/a?x=1&y=2'
    } as Step);
    await skipTo(world, MONDAY);
    expect(world.postbox.mails).toHaveLength(1);
    const m = world.postbox.mails[0]!;
    const headers = new Map(m.headers);
    expect(m.subject).toBe('Hi Ada <b> Bcc: x@x.example');
    expect(m.to).toBe('p@people.example');
    expect(m.date).toBe('2027-03-01T09:00:00.000Z');
    expect(m.messageId).toBe(id(1));
    expect(m.returnPath).toBe(`bounce+${id(1).slice(1, -1)}`);
    expect(headers.get('reply-to')).toBe('visits@quillmoor.example');
    expect(m.text).toContain('Hello Ada <b>, stargazer');
    expect(m.html).toContain('Hello Ada &lt;b&gt;, stargazer');
    expect(headers.get('list-unsubscribe-post')).toBe('List-Unsubscribe=One-Click');
    expect(headers.get('auto-submitted')).toBe('auto-generated');
    const token = (use: 'open' | 'link' | 'unsubscribe', from: string): unknown =>
      readToken(world.secret, use, /\/[oul]\/([\w-]+)/.exec(from)![1]!);
    expect(token('unsubscribe', headers.get('list-unsubscribe')!)).toEqual({ person: 1, message: 1, number: 1 });
    expect(token('link', /http:\/\/127\S+\/l\/\S+/.exec(m.text)![0])).toEqual({ person: 1, message: 1, number: 1 });
    expect(token('open', /<img src="([^"]+)"/.exec(m.html)![1]!)).toEqual({ person: 1, message: 1, number: 0 });
    expect((await messages())[0]).toMatchObject({ state: 'sent', attempts: 1 });
  });

  it('its links lead where this copy’s led, whatever the person’s fields become', async () => {
    await addPeople(world.pool, [reachable('p', (p) => void p.fields.set('town', 'Ennis'))]);
    await enter({
      ...mail('a'),
      text: '{{ links.unsubscribe }} {% if person.town == "Ennis" %}https://quillmoor.example/ennis {% endif %}https://quillmoor.example/{{ person.town }}?all'
    } as Step);
    await skipTo(world, MONDAY);
    await world.pool.query(`update people set fields = '{"town":"Sligo"}'`);
    const links = [...world.postbox.mails[0]!.text.matchAll(/\/l\/([\w-]+)/g)].map((m) => m[1]!);
    const led = [];
    for (const link of links) led.push(await clicked(world.pool, link, READER));
    expect(led).toEqual(['https://quillmoor.example/ennis', 'https://quillmoor.example/Ennis?all']);
  });

  it('of whoever is called anything keeps its headers in order', async () => {
    await addPeople(world.pool, [
      reachable('p', (p) => void p.fields.set('first_name', '=?utf-8?q?You_have_won?=')),
      reachable('q', (p) => void p.fields.set('first_name', 'Ó'.repeat(1500)).delete('phone'))
    ]);
    await live(world, journey([{ ...mail('a'), subject: 'For {{ person.first_name }}' } as Step]));
    await askChange(world.pool, [1, 2], { addTags: ['in'] }, 'test');
    await skipTo(world, MONDAY);
    expect(world.postbox.mails.map((m) => m.subject)).toEqual([
      'For =?utf-8?q?You_have_won?=',
      `For ${'Ó'.repeat(245)}…`
    ]);
    for (const m of world.postbox.mails)
      for (const line of m.headers.flatMap(([key, value]) => `${key}: ${value}`.split('\n')))
        expect(Buffer.byteLength(line)).toBeLessThan(200);
  });

  it('that a server refuses for a while is tried again, later each time, and arrives once', async () => {
    await addPeople(world.pool, [reachable('p')]);
    world.postbox.setTrouble(451);
    await enter(mail('a'), wait('w'), text('b'));
    await runBatch(world.pool, world.engine.plans);
    await dispatch(world);
    const first = (await messages())[0]!;
    expect(first).toMatchObject({ state: 'queued', attempts: 1, trouble: 'temporary' });
    expect(first.error).toMatch(/451/);
    expect(await dispatch(world)).toBe(0);
    await waited();
    await dispatch(world);
    expect((await messages())[0]!.waits).toBeGreaterThan(first.waits);
    world.postbox.setTrouble(null);
    expect(await tryNow(world.pool, { person: 1, message: 1 })).toBe(1);
    await skipTo(world, MONDAY + 20 * MINUTE);
    expect((await messages())[0]).toMatchObject({ state: 'sent', error: null, trouble: null });
    expect(world.postbox.mails.map((m) => [m.messageId, m.repeats])).toEqual([[id(1), 0]]);
    expect(await tryNow(world.pool, { person: 1, message: 1 })).toBe(0);
  });

  it('has failed after twelve tries, and can be sent again', async () => {
    await addPeople(world.pool, [reachable('p')]);
    world.postbox.setTrouble(451);
    await enter(mail('a'));
    await runBatch(world.pool, world.engine.plans);
    for (let n = 0; n < MOST_TRIES; n++) {
      await waited();
      await dispatch(world);
    }
    expect((await messages())[0]).toMatchObject({ state: 'failed', attempts: 12, trouble: 'temporary' });
    expect(await dispatch(world)).toBe(0);
    await skipTo(world, MONDAY);
    world.postbox.setTrouble(null);
    expect(await sendAgain(world.pool, { journey: 'try' }, 'test')).toEqual({ again: 1, kept: 0 });
    await skipTo(world, MONDAY);
    expect((await messages())[0]).toMatchObject({ state: 'sent', attempts: 1 });
    const { rows } = await world.pool.query<{ name: string }>(
      `select name from happenings where source = 'outbox' order by id`
    );
    expect(rows.map((r) => r.name)).toEqual(['failed']);
  });

  it('taken by the server, is a happening where some journey asks for that, and stands in messages alone otherwise', async () => {
    const names = async (): Promise<string[]> =>
      (await world.pool.query<{ name: string }>('select name from happenings order by id')).rows.map((r) => r.name);
    await addPeople(world.pool, [reachable('p')]);
    await enter(mail('a'), wait('w', 'P1D'));
    await skipTo(world, MONDAY);
    expect((await messages())[0]).toMatchObject({ state: 'sent' });
    expect(await names()).toEqual(['set', 'tag_added', 'entered']);
    await live(world, {
      ...journey([mail('b'), wait('w', 'P1D')], { goal: { when: { did: 'delivered', of: 'b' } } }),
      key: 'asks'
    });
    await askChange(world.pool, [1], { removeTags: ['in'] }, 'test', 'off');
    await askChange(world.pool, [1], { addTags: ['in'] }, 'test', 'on');
    await skipTo(world, MONDAY + HOUR);
    expect(await names()).toContain('delivered');
    expect(await trailOf(world.pool)).toContainEqual(
      expect.objectContaining({ journey: 'asks', what: 'left', as: 'goal' })
    );
  });

  it('for tonight is not sent tomorrow', async () => {
    await addPeople(world.pool, [reachable('p')]);
    world.postbox.setTrouble(451);
    await enter(mail('a'));
    await runBatch(world.pool, world.engine.plans);
    await dispatch(world);
    await world.pool.query(`update workspace set practice_now = practice_now + interval '25 hours'`);
    world.postbox.setTrouble(null);
    await waited();
    await dispatch(world);
    expect(world.postbox.mails).toHaveLength(0);
    expect((await messages())[0]).toMatchObject({ state: 'failed', trouble: 'too-late' });
    expect((await messages())[0]!.error).toMatch(/too late: it was due more than 24 hours ago; before: .*451/);
  });

  it('whose mailbox is not there bounces: the address is suppressed, the walk leaves, until somebody says otherwise', async () => {
    await addPeople(world.pool, [reachable('no-mailbox.p', (p) => p.fields.delete('phone'))]);
    await enter(mail('a'), wait('w'), mail('b'));
    await skipTo(world, MONDAY + 2 * DAYS);
    expect((await messages())[0]).toMatchObject({ state: 'bounced', attempts: 1, trouble: 'mailbox' });
    expect((await trailOf(world.pool)).at(-1)).toMatchObject({ what: 'left', as: 'early', reason: 'bounced' });
    const suppressed = () => world.pool.query('select address from suppressions');
    expect((await suppressed()).rows).toEqual([{ address: 'no-mailbox.p@people.example' }]);
    expect(await sendAgain(world.pool, { person: 1, message: 1 }, 'test')).toEqual({ again: 0, kept: 1 });
    expect(await liftSuppression(world.pool, 'No-Mailbox.p@people.example', 'Nuala', 'they wrote from it')).toBe(true);
    expect((await suppressed()).rows).toEqual([]);
    const asked = await Promise.all(
      Array.from({ length: 4 }, () => sendAgain(world.pool, { person: 1, message: 1 }, 'test'))
    );
    expect(asked.map((a) => a.again).sort()).toEqual([0, 0, 0, 1]);
    expect((await world.pool.query('select by, reason from lifted_suppressions')).rows).toEqual([
      { by: 'Nuala', reason: 'they wrote from it' }
    ]);
  });

  it('that has gone out is sent once more by hand, once, under another id, to the address they have now', async () => {
    await addPeople(world.pool, [reachable('p')]);
    await enter(mail('a'), text('t'), wait('w'));
    await skipTo(world, MONDAY);
    const own = { person: 1, message: 1 };
    await world.pool.query(`update people set email = 'new.p@people.example' where id = 1`);
    const asked = await Promise.all(Array.from({ length: 4 }, () => sendCopy(world.pool, own, 0, 'Nuala')));
    expect(asked.map((a) => a.again).sort()).toEqual([0, 0, 0, 1]);
    expect(await sendCopy(world.pool, { person: 1, message: 2 }, 0, 'Nuala')).toEqual({ again: 1, kept: 0 });
    await dispatch(world);
    const [first, second] = world.postbox.mails;
    expect(world.postbox.mails).toHaveLength(2);
    expect(second).toMatchObject({ subject: first!.subject, to: 'new.p@people.example' });
    expect(second!.messageId).not.toBe(first!.messageId);
    const [one, copy] = world.handset.texts;
    expect(world.handset.texts).toHaveLength(2);
    expect(copy!.text).toBe(one!.text);
    expect(copy!.id).not.toBe(one!.id);
    const { rows } = await world.pool.query('select copies from messages order by id');
    expect(rows[0]).toMatchObject({ copies: [{ by: 'Nuala', to: 'new.p@people.example' }] });
    // Told of the first text only now: the copy is not said to have failed by it.
    await textReported(world.pool, world.secret, {
      id: one!.id,
      status: 'undelivered',
      code: 'unreachable',
      error: 'off'
    });
    expect((await messages())[1]).toMatchObject({ state: 'sent' });
    await textReported(world.pool, world.secret, {
      id: copy!.id,
      status: 'undelivered',
      code: 'unreachable',
      error: 'off'
    });
    expect((await messages())[1]).toMatchObject({ state: 'bounced' });
    expect(await heldBack(world.pool, own)).toBeNull();
    await world.pool.query(`update journeys set state = 'closed'`);
    expect(await heldBack(world.pool, own)).toMatch(/is closed, and nothing of it goes out/);
    await world.pool.query(`update consents set state = 'withdrawn' where person_id = 1 and channel = 'email'`);
    expect(await sendCopy(world.pool, own, 1, 'Nuala')).toEqual({ again: 0, kept: 1 });
    const page = await personPage(world.pool, 1);
    expect(page?.timeline.filter((l) => l.what === 'copied').map((l) => [l.message?.channel, l.detail['by']])).toEqual(
      expect.arrayContaining([
        ['sms', 'Nuala'],
        ['email', 'Nuala']
      ])
    );
  });

  it('whose outcome cannot be written is noted as over, once, and holds up no other', async () => {
    await addPeople(world.pool, [reachable('no-mailbox.p'), reachable('q', (p) => void p.fields.delete('phone'))]);
    await live(world, journey([mail('a'), wait('w')]));
    await askChange(world.pool, [1, 2], { addTags: ['in'] }, 'test');
    await world.pool.query(`
      create function refuse() returns trigger language plpgsql as $$ begin raise exception 'not this one'; end $$;
      create trigger refuse before insert on happenings for each row when (new.name = 'bounced') execute function refuse();`);
    await skipTo(world, MONDAY);
    expect(await messages()).toMatchObject([
      { state: 'failed', trouble: 'failed', error: 'its outcome could not be recorded: not this one' },
      { state: 'sent', trouble: null }
    ]);
    expect(await dispatch(world)).toBe(0);
    expect(world.postbox.mails).toHaveLength(1);
  });

  it('to a full mailbox is tried again, and suppresses nobody', async () => {
    await addPeople(world.pool, [reachable('full.p')]);
    await enter(mail('a'), wait('w'), mail('b'));
    await runBatch(world.pool, world.engine.plans);
    for (let n = 0; n < MOST_TRIES; n++) {
      await waited();
      await dispatch(world);
    }
    await skipTo(world, MONDAY);
    expect((await messages())[0]).toMatchObject({ state: 'bounced', trouble: 'full' });
    expect((await world.pool.query('select from suppressions')).rowCount).toBe(0);
    expect(
      (await world.pool.query<{ data: object }>(`select data from happenings where name = 'bounced'`)).rows[0]!.data
    ).toMatchObject({ hard: false });
    expect((await trailOf(world.pool)).at(-1)).toMatchObject({ what: 'waiting' });
  });

  it('that cannot be filled in waits by itself, says why, and the others go out', async () => {
    const text = '{% if person.visits %}{% for i in (1..99999999) %}x{% endfor %}{% endif %}ok';
    await live(world, journey([{ ...mail('a'), text } as Step, wait('w'), mail('b')]));
    await addPeople(world.pool, [
      reachable('p', (p) => void p.fields.set('visits', 'many')),
      reachable('q', (p) => p.fields.delete('phone'))
    ]);
    await askChange(world.pool, [1, 2], { addTags: ['in'] }, 'test');
    await skipTo(world, MONDAY + 2 * HOUR);
    expect((await messages()).map((m) => [m.state, m.trouble])).toEqual([
      ['queued', 'filling-in'],
      ['sent', null]
    ]);
    const [need] = (await today(world.pool)).needs.filter((n) => n.kind === 'retry');
    expect(need).toMatchObject({ title: '1 message waits for another try', action: { name: 'retry' } });
    expect(need!.detail).toMatch(/cannot be filled in/);
    // Once the field is mended it goes out.
    await world.pool.query(`update people set fields = '{}' where id = 1`);
    expect(await tryNow(world.pool, { journey: 'try', trouble: 'filling-in' })).toBe(1);
    await dispatch(world);
    expect((await messages()).map((m) => m.state)).toEqual(['sent', 'sent']);
  });

  it('whose subject comes out empty is not sent', async () => {
    await live(world, journey([{ ...mail('a'), subject: '{{ person.nothing }}' } as Step]));
    await addPeople(world.pool, [reachable('p')]);
    await askChange(world.pool, [1], { addTags: ['in'] }, 'test');
    await skipTo(world, MONDAY);
    expect(world.postbox.mails).toHaveLength(0);
    expect((await messages())[0]).toMatchObject({ state: 'queued', error: 'its subject comes out empty' });
  });

  it('whose sender died before it could say so is sent again with the same id and the same words, and kept once', async () => {
    await addPeople(world.pool, [reachable('p', (p) => void p.fields.set('first_name', 'Ada'))]);
    await enter({ ...mail('a'), subject: 'For {{ person.first_name }}' } as Step);
    await skipTo(world, MONDAY);
    // As it stands when a sender is killed between the server's answer and its own record, and the lease has run out.
    await world.pool.query(`update people set first_name = 'Bea'`);
    await world.pool.query(`update messages set state = 'sending', not_before = now() - interval '1 second'`);
    await dispatch(world);
    expect(world.postbox.mails.map((m) => m.repeats)).toEqual([1]);
    expect((await messages())[0]).toMatchObject({ state: 'sent', attempts: 2 });
    expect((await world.pool.query<{ subject: string }>('select subject from messages')).rows[0]!.subject).toBe(
      'For Ada'
    );
  });

  it('under a lease is nobody else’s', async () => {
    await addPeople(world.pool, [reachable('p')]);
    await enter(mail('a'));
    await runBatch(world.pool, world.engine.plans);
    await world.pool.query(`update messages set state = 'sending', not_before = now() + interval '1 minute'`);
    expect(await dispatch(world)).toBe(0);
  });
});

describe('a server that will not have our mail', () => {
  it.each([
    ['relaying', 554, '5.7.1 Relay access denied'],
    ['a block list', 550, '5.7.1 client host blocked'],
    ['size', 552, '5.3.4 too big']
  ])(
    '(%s) suppresses nobody and ends no walk: after ten alike sending stops, and goes on once it is mended',
    async (_, code, words) => {
      await enterMany(40, mail('a'), wait('w'), mail('b'));
      world.postbox.setTrouble(code, words);
      for (let n = 0; n < 5; n++) await dispatch(world);
      expect((await world.pool.query('select from suppressions')).rowCount).toBe(0);
      const all = await messages();
      expect(all.every((m) => m.state === 'queued')).toBe(true);
      // The first lot of them met it; the others were not even tried.
      expect(all.filter((m) => m.attempts > 0).length).toBeLessThanOrEqual(33);
      const [need] = (await today(world.pool)).needs.filter((n) => n.kind === 'matter');
      expect(need!.title).toBe('The mail server refuses us');
      expect(need!.detail).toContain(words);
      expect(need!.detail).toContain('40 messages wait');
      // Mended: one message is tried, and the first that goes through lets the others go.
      world.postbox.setTrouble(null);
      await world.pool.query(`update channels set next_probe = clock_timestamp()`);
      expect(await dispatch(world)).toBe(1);
      while (await dispatch(world));
      expect((await messages()).every((m) => m.state === 'sent')).toBe(true);
      expect(world.postbox.mails.map((m) => m.repeats)).toEqual(Array.from({ length: 40 }, () => 0));
      await skipTo(world, MONDAY + HOUR);
      expect((await trailOf(world.pool)).filter((l) => l['what'] === 'left')).toEqual([]);
    }
  );

  it('is asked again when somebody says so, and stops again where it is not mended', async () => {
    await enterMany(40, mail('a'));
    world.postbox.setTrouble(554, '5.7.1 no');
    for (let n = 0; n < 3; n++) await dispatch(world);
    expect(await resume(world.pool, 'email')).toBe(true);
    await dispatch(world);
    expect((await today(world.pool)).needs.filter((n) => n.kind === 'matter')).toHaveLength(1);
    world.postbox.setTrouble(null);
    expect(await resume(world.pool, 'email')).toBe(true);
    expect(await resume(world.pool, 'email')).toBe(false);
    while (await dispatch(world));
    expect(world.postbox.mails).toHaveLength(40);
  });

  it('because of one message holds up no other', async () => {
    const ids = await addPeople(world.pool, [...many(20), reachable('policy.p', (p) => p.fields.delete('phone'))]);
    await live(world, journey([mail('a')]));
    await askChange(world.pool, ids, { addTags: ['in'] }, 'test');
    await skipTo(world, MONDAY + HOUR);
    expect(world.postbox.mails).toHaveLength(20);
    expect((await messages()).filter((m) => m.state !== 'sent')).toMatchObject([{ state: 'queued', trouble: 'ours' }]);
    expect((await today(world.pool)).needs.filter((n) => n.kind === 'matter')).toEqual([]);
  });

  it('that takes mails and breaks off is told so, and not that it refuses us', async () => {
    // It answers all but the end of a mail.
    const server = createServer((socket) => {
      socket.on('error', () => undefined).write('220 there\r\n');
      let data = false;
      socket.on('data', (piece) => {
        if (data) return void (String(piece).endsWith('\r\n.\r\n') && socket.destroy());
        data = /^DATA/i.test(String(piece));
        socket.write(data ? '354 go on\r\n' : '250 fine\r\n');
      });
    });
    await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
    const mailer = openMailer({ url: `smtp://127.0.0.1:${(server.address() as AddressInfo).port}` });
    world.engine.post.mailer = mailer;
    await enterMany(40, mail('a'));
    for (let n = 0; n < 3; n++) await dispatch(world);
    const [need] = (await today(world.pool)).needs.filter((n) => n.kind === 'matter');
    expect(need!.title).toBe('The mail server breaks off before it answers');
    expect(need!.detail).toContain('40 messages wait');
    mailer.close();
    server.close();
  });

  it('that is away uses up no tries', async () => {
    const port = world.postbox.smtpPort;
    await world.postbox.close();
    await enterMany(30, mail('a'));
    for (let n = 0; n < 3; n++) {
      await waited();
      await dispatch(world);
    }
    const [need] = (await today(world.pool)).needs.filter((n) => n.kind === 'matter');
    expect(need).toMatchObject({
      title: 'The mail server cannot be reached',
      action: { name: 'resume', value: 'email' }
    });
    expect((await messages()).every((m) => m.state === 'queued' && m.attempts <= 1)).toBe(true);
    world.postbox = await startPostbox({ smtp: port, http: 0 });
    await world.pool.query(`update channels set next_probe = clock_timestamp()`);
    while (await dispatch(world));
    expect(world.postbox.mails).toHaveLength(30);
  });

  it.each([
    [
      '<a@people.example>: Relay denied for 192.0.2.1, id 4XyZ12345678',
      '<b@people.example>: Relay denied for 192.0.2.9, id 9QqQ87654321',
      true
    ],
    ['554 5.7.1 Relay denied', '554 5.7.1 Spam', false]
  ])('%s is alike to %s: %s', (a, b, alike) => expect(alikeness(a) === alikeness(b)).toBe(alike));
});

describe('a slow server', () => {
  it('gets each mail once, however long it takes to answer', async () => {
    await enterMany(20, mail('a'));
    world.postbox.setDelay(1500);
    const second = makeEngine(world.pool, world.engine.post, null);
    await Promise.all([dispatch(world), dispatch({ ...world, engine: second })]);
    for (const outbox of second.outboxes) outbox.close();
    world.postbox.setDelay(0);
    while (await dispatch(world));
    expect(world.postbox.mails.map((m) => m.repeats)).toEqual(Array.from({ length: 20 }, () => 0));
    expect((await messages()).every((m) => m.state === 'sent' && m.attempts === 1)).toBe(true);
  });

  it('keeps its lease as long as it is at work', async () => {
    await enterMany(1, mail('a'));
    world.postbox.setDelay(9000);
    await world.engine.outboxes[0]!.fill();
    const lease = async () => (await messages())[0]!.waits;
    await expect.poll(lease, { timeout: 9000, interval: 500 }).toBeLessThan(24);
    await expect.poll(lease, { timeout: 9000, interval: 200 }).toBeGreaterThan(26);
    await world.engine.outboxes[0]!.drain(30_000);
    expect(world.postbox.mails.map((m) => m.repeats)).toEqual([0]);
  });
});

describe('a text', () => {
  it('goes out by HTTP, once for its id', async () => {
    await addPeople(world.pool, [reachable('p', (p) => void p.fields.set('first_name', 'Ada'))]);
    await enter({ key: 't', kind: 'sms', text: 'Hi {{ person.first_name }}: https://quillmoor.example/friday' });
    await skipTo(world, MONDAY);
    expect(world.handset.texts).toMatchObject([
      {
        id: messageKey(world.secret, { person: 1, message: 1 }),
        number: '+447700900001',
        direction: 'out',
        at: '2027-03-01T09:00:00.000Z',
        repeats: 0
      }
    ]);
    expect(world.handset.texts[0]!.text).toMatch(/^Hi Ada: http:\/\/127\.0\.0\.1:9999\/l\/[\w-]+$/);
    await world.pool.query(`update messages set state = 'sending', not_before = now() - interval '1 second'`);
    await dispatch(world);
    expect(world.handset.texts.map((t) => t.repeats)).toEqual([1]);
  });

  it('that bounced where they are no more suppresses that address, and says nothing of the one they have now', async () => {
    world.engine.post.takesMail = true;
    await addPeople(world.pool, [reachable('p')]);
    await enter(mail('a'), text('t'), wait('w', 'P9D'));
    await skipTo(world, MONDAY);
    await world.pool.query(`update people set email = 'new@people.example', phone = '+447700900777' where id = 1`);
    for (const message of [1, 2]) await sendCopy(world.pool, { person: 1, message }, 0, 'Nuala');
    await dispatch(world);
    const gone = { status: 'undelivered', code: 'unknown-number', error: 'nobody has it' } as const;
    await textReported(world.pool, world.secret, { id: world.handset.texts[0]!.id, ...gone });
    const dsn = [
      'From: mailer-daemon@mx.example',
      'Content-Type: multipart/report; report-type=delivery-status; boundary=b',
      '',
      '--b',
      'Content-Type: message/delivery-status',
      '',
      'Reporting-MTA: dns; mx.example',
      '',
      'Final-Recipient: rfc822; p@people.example',
      'Action: failed',
      'Status: 5.1.1',
      '',
      '--b--',
      ''
    ].join('\r\n');
    const envelope = { from: '', to: [world.postbox.mails[0]!.returnPath] };
    const soft = { within: 14 * DAYS, count: 3 };
    expect(await takeMail({ pool: world.pool, secret: world.secret, soft }, Buffer.from(dsn), envelope)).toBe('stored');
    await skipTo(world, MONDAY + HOUR);
    const { rows } = await world.pool.query('select address from suppressions order by 1');
    expect(rows).toEqual([{ address: '+447700900001' }, { address: 'p@people.example' }]);
    expect(await messages()).toMatchObject([{ state: 'sent' }, { state: 'sent' }]);
    expect((await world.pool.query(`select state from walks`)).rows).toEqual([{ state: 'walking' }]);
    // What the copy itself comes to counts as ever.
    await textReported(world.pool, world.secret, { id: world.handset.texts[1]!.id, ...gone });
    await skipTo(world, MONDAY + 2 * HOUR);
    expect((await messages())[1]).toMatchObject({ state: 'bounced' });
    expect((await world.pool.query(`select from suppressions where address = '+447700900777'`)).rowCount).toBe(1);
  });

  it('whose report comes in the very moment of a merge is told of the one they are then', async () => {
    await addPeople(world.pool, [reachable('p'), reachable('q', (p) => void p.fields.set('phone', '+447700900002'))]);
    await enter(text('t'));
    await skipTo(world, MONDAY);
    const report = { status: 'undelivered', code: 'unreachable', error: 'off' } as const;
    const told = await transaction(world.pool, async (db) => {
      await db.query(`insert into merged (gone, person_id, walks, at, by) values (1, 2, 1, now(), 'test')`);
      for (const table of ['walks', 'messages'])
        await db.query(`update ${table} set person_id = 2 where person_id = 1`);
      const waiting = textReported(world.pool, world.secret, { id: world.handset.texts[0]!.id, ...report });
      await new Promise((resolve) => setTimeout(resolve, 300));
      return { waiting };
    });
    expect(await told.waiting).toBe(true);
    const { rows } = await world.pool.query(`select person_id from happenings where name = 'bounced'`);
    expect(rows).toEqual([{ person_id: 2 }]);
    expect((await messages())[0]).toMatchObject({ state: 'bounced' });
  });

  it('to a number that nobody has bounces; a wrong address of the gateway is a matter of ours', async () => {
    await addPeople(world.pool, [reachable('p', (p) => void p.fields.set('phone', '+447700900404'))]);
    await enter(text('t'));
    await skipTo(world, MONDAY);
    expect((await messages())[0]).toMatchObject({ state: 'bounced', trouble: 'mailbox' });
    expect((await world.pool.query('select address from suppressions')).rows).toEqual([{ address: '+447700900404' }]);
    world.engine.post.smsUrl = `http://127.0.0.1:${world.postbox.httpPort}`;
    await addPeople(world.pool, [reachable('q', (p) => void p.fields.set('phone', '+447700900002'))]);
    await askChange(world.pool, [2], { addTags: ['in'] }, 'test');
    await runBatch(world.pool, world.engine.plans);
    await dispatch(world);
    expect((await messages())[1]).toMatchObject({ state: 'queued', trouble: 'ours' });
    expect((await world.pool.query('select from suppressions')).rowCount).toBe(1);
  });

  it('whose gateway is not there waits', async () => {
    const none = createServer();
    await new Promise<void>((resolve) => none.listen(0, '127.0.0.1', resolve));
    world.engine.post.smsUrl = `http://127.0.0.1:${(none.address() as { port: number }).port}`;
    await new Promise((resolve) => none.close(resolve));
    await addPeople(world.pool, [reachable('p')]);
    await enter(text('t'));
    await runBatch(world.pool, world.engine.plans);
    await dispatch(world);
    expect((await messages())[0]).toMatchObject({
      state: 'queued',
      trouble: 'away',
      error: 'the gateway cannot be reached: ECONNREFUSED'
    });
  });
});

describe('an outcome that cannot be recorded', () => {
  let folder: string;
  beforeEach(() => {
    folder = mkdtempSync(join(tmpdir(), 'ambulo-unrecorded-'));
  });
  afterEach(() => rmSync(folder, { recursive: true, force: true }));
  const engineOf = () => makeEngine(world.pool, world.engine.post, null, 0, {}, folder);
  /** The database takes no outcome, as where it is away. */
  const away = (is: boolean) =>
    world.pool.query(
      is
        ? `create function away() returns trigger language plpgsql as $$ begin raise exception 'away' using errcode = '57P03'; end $$;
           create trigger away before update on messages for each row when (old.state = 'sending' and new.state = 'sent') execute function away()`
        : 'drop trigger away on messages; drop function away()'
    );

  it('is not forgotten while its process lives, and what is ended meanwhile is recorded first by the next: nothing goes out twice', async () => {
    await enterMany(5, mail('a'));
    await away(true);
    const first = engineOf();
    await first.outboxes[0]!.fill();
    await vi.waitFor(() => expect(world.postbox.mails).toHaveLength(5), { timeout: 10_000 });
    await vi.waitFor(() => expect(readdirSync(folder)).toHaveLength(1), { timeout: 10_000 });
    const [name] = readdirSync(folder);
    // Nothing of anybody stands in it.
    expect(readFileSync(join(folder, name!), 'utf8')).not.toContain('people.example');
    // Leases run out meanwhile; who has them in hand does not take them up again.
    await world.pool.query(`update messages set not_before = now() - interval '1 second'`);
    expect(await first.outboxes[0]!.fill()).toBe(0);
    expect(await messages()).toMatchObject(Array.from({ length: 5 }, () => ({ state: 'sending' })));
    // As where the process is ended: another one begins, once the database is there.
    await away(false);
    await first.outboxes[0]!.drain(10_000);
    const copy = readdirSync(folder);
    expect(copy).toEqual([]);
    expect((await messages()).every((m) => m.state === 'sent')).toBe(true);

    await enterMore();
    await away(true);
    const second = engineOf();
    await second.outboxes[0]!.fill();
    await vi.waitFor(() => expect(readdirSync(folder)).toHaveLength(1), { timeout: 10_000 });
    const read = () => readFileSync(join(folder, readdirSync(folder)[0]!), 'utf8');
    await vi.waitFor(() => expect(read().trim().split('\n')).toHaveLength(3), { timeout: 10_000 });
    const kept = read();
    await away(false);
    await second.outboxes[0]!.drain(10_000);
    // What it left behind, where it was killed before it could: the rows are as they were, their leases over.
    await world.pool.query(
      `update messages set state = 'sending', not_before = now() - interval '1 second', sent_at = null where step = 'a' and person_id > 5`
    );
    writeFileSync(join(folder, 'email-of-one-that-is-gone.ndjson'), `${kept}{"row": cut`);
    const third = engineOf();
    expect(await third.outboxes[0]!.fill()).toBe(0);
    expect((await messages()).every((m) => m.state === 'sent')).toBe(true);
    expect(world.postbox.mails.map((m) => m.repeats)).toEqual(Array.from({ length: 8 }, () => 0));
    expect(readdirSync(folder)).toEqual([]);
    for (const engine of [first, second, third]) for (const outbox of engine.outboxes) outbox.close();
  });

  async function enterMore(): Promise<void> {
    const ids = await addPeople(
      world.pool,
      many(8)
        .slice(5)
        .map((p, i) => (p.fields.set('email', `more${i}@people.example`).set('phone', `+4477008${10000 + i}`), p))
    );
    await askChange(world.pool, ids, { addTags: ['in'] }, 'test');
    await runBatch(world.pool, world.engine.plans);
  }
});

describe('ids', () => {
  it.each([0, 1000])('are read back, signed by this workspace, short, and of no other (copy %i)', (copy) => {
    const ref = { copy, person: 123_456_789_012, message: 987_654_321_098 };
    const key = messageKey(world.secret, ref);
    expect(readMessageKey(world.secret, key.toUpperCase())).toEqual(ref);
    expect(`bounce+${key}`.length).toBeLessThanOrEqual(64);
    expect(readMessageKey(Buffer.alloc(32), key)).toBeNull();
    for (const forged of ['', 'a.b.c', key.replace(/^./, 'z'), `${key}0`])
      expect(readMessageKey(world.secret, forged)).toBeNull();
    expect(messageKey(Buffer.alloc(32), ref)).not.toBe(key);
  });
});

it('waits longer after each try, two days in all, spread, and the same whenever it is asked', () => {
  const waits = Array.from({ length: MOST_TRIES - 1 }, (_, i) => backoff(7, i + 1));
  expect(waits).toEqual([...waits].sort((a, b) => a - b));
  const days = waits.reduce((sum, w) => sum + w, 0) / DAYS;
  expect(days).toBeGreaterThan(1.75);
  expect(days).toBeLessThan(2.25);
  expect(backoff(7, 3)).toBe(backoff(7, 3));
  expect(backoff(7, 3)).not.toBe(backoff(8, 3));
  // On the practice clock nobody waits for minutes.
  expect(backoff(7, 12, true)).toBeLessThan(70_000);
});

describe('many who are refused for good at once', () => {
  const of = (n: number, domain: string, name = 'no-mailbox') =>
    Array.from({ length: n }, (_, i) =>
      reachable(`x${i}`, (p) => {
        p.fields.set('email', `${name}.${i}@${domain}`).set('phone', `+4477008${10000 + i}`);
      })
    );
  const suppressed = async (): Promise<number> =>
    (await world.pool.query(`select from suppressions where address like '%@%'`)).rowCount ?? 0;
  async function sendTo(...people: ReturnType<typeof of>): Promise<void> {
    const ids = await addPeople(world.pool, people);
    await live(world, journey([mail('a'), wait('w')]));
    await askChange(world.pool, ids, { addTags: ['in'] }, 'test');
    await skipTo(world, MONDAY);
    await dispatch(world);
  }

  it('are our trouble or theirs until somebody says otherwise: it was, and they are tried again, nobody suppressed', async () => {
    await sendTo(...of(30, 'odd.example'));
    const [need] = (await today(world.pool)).needs.filter((n) => n.kind === 'doubt');
    expect(need!.title).toMatch(/addresses of odd\.example refused within an hour/);
    expect(await suppressed()).toBeLessThan(OF_DOMAIN_MOST);
    expect((await messages()).filter((m) => m.trouble === 'doubt').length).toBeGreaterThan(0);
    // Nobody has left for it, but those who were refused before it was seen.
    expect(await settleDoubt(world.pool, 'odd.example', false, 'Nuala')).toBe(true);
    expect(await settleDoubt(world.pool, 'odd.example', false, 'Nuala')).toBe(false);
    expect(await suppressed()).toBe(0);
    expect((await today(world.pool)).needs.filter((n) => n.kind === 'doubt')).toEqual([]);
    expect((await messages()).filter((m) => m.trouble === 'doubt').every((m) => m.waits === null)).toBe(true);
  });

  it('are gone, where somebody says so: then refusals count as ever', async () => {
    await sendTo(...of(30, 'odd.example'));
    expect(await settleDoubt(world.pool, 'odd.example', true, 'Nuala')).toBe(true);
    for (let n = 0; n < 3; n++) await dispatch(world);
    expect(await suppressed()).toBe(30);
    const [group] = await suppressionGroups(world.pool);
    expect(group).toMatchObject({
      domain: 'odd.example',
      people: 30,
      answer: expect.stringMatching(/no such mailbox/) as string
    });
    expect(
      await liftMany(
        world.pool,
        { domain: 'odd.example', day: group!.day, answer: group!.answer },
        'Nuala',
        'moved back'
      )
    ).toBe(30);
    expect(await suppressed()).toBe(0);
  });

  it('a few among many are gone, as ever', async () => {
    await sendTo(
      ...of(4, 'odd.example'),
      ...of(60, 'even.example', 'fine').map((p, i) => (p.fields.set('phone', `+4477007${10000 + i}`), p))
    );
    expect(await suppressed()).toBe(4);
    expect((await today(world.pool)).needs.filter((n) => n.kind === 'doubt')).toEqual([]);
  });
});
/** Of a domain fewer than these are suppressed before it is seen that they are many: those handed over side by side. */
const OF_DOMAIN_MOST = 30;
