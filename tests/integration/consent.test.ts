/**
 * Consent to the last moment: whoever withdraws, bounces or is erased while a message waits is not written to; withdrawn stays
 * withdrawn, whatever comes behind it by whichever door; and a withdrawal holds at once, whatever waits before it.
 */
import { SMTPServer } from 'smtp-server';
import type { AddressInfo } from 'node:net';
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { replay } from '../../core/replay/replay.ts';
import type { TimedInput } from '../../core/replay/happenings.ts';
import { bare } from '../../core/bare.ts';
import type { Step } from '../../core/steps/index.ts';
import { DAYS, HOUR, journey, mail, MONDAY, reachable, text, wait } from '../make.ts';
import { runBatch } from '../../server/engine/batch.ts';
import { sendAgain } from '../../server/post/again.ts';
import { messageKey } from '../../server/mail/message-id.ts';
import { makeEngine } from '../../server/running/context.ts';
import { settle } from '../../server/running/skip.ts';
import { openMailer } from '../../server/mail/smtp.ts';
import { takeMail } from '../../server/mail-in/take.ts';
import { asking, confirm } from '../../server/intake/confirm.ts';
import { takeEvents } from '../../server/intake/events.ts';
import { unsubscribed } from '../../server/intake/intake.ts';
import { receivedText } from '../../server/intake/texts.ts';
import { signToken } from '../../server/intake/token.ts';
import { brake, halt } from '../../server/journeys/brake.ts';
import { beginImport, openImport, readImport, undoImport } from '../../server/imports/imports.ts';
import { workImport } from '../../server/imports/run.ts';
import { answerByText } from '../../server/people/answering.ts';
import { setConsent } from '../../server/people/by-hand.ts';
import { askChange, askEntry } from '../../server/people/inputs.ts';
import { erase } from '../../server/protection/erase.ts';
import { today } from '../../server/results/today.ts';
import { SettingsBook } from '../../server/workspace/settings.ts';
import { sendAnswers } from '../../server/post/answers.ts';
import { addPeople, dispatch, live, openWorld, skipTo, trailOf, type World } from './world.ts';

let world: World;
beforeEach(async () => {
  world = await openWorld();
});
afterEach(() => world.close());

const query = async <T extends object>(words: string, ...values: unknown[]): Promise<T[]> =>
  (await world.pool.query<T>(words, values)).rows;
const many = (n: number) =>
  Array.from({ length: n }, (_, i) =>
    reachable(`p${i + 1}`, (p) => void p.fields.set('phone', `+44770091${1000 + i}`))
  );
/** So many people whose messages of these steps are written and wait to be handed over. */
async function queued(n: number, ...lane: Step[]): Promise<number[]> {
  const ids = await addPeople(world.pool, many(n));
  await live(world, journey(lane));
  for (const id of ids) await askEntry(world.pool, [id], 'try', 'test');
  await runBatch(world.pool, world.engine.plans);
  return ids;
}
const consents = async (channel = 'email'): Promise<(string | null)[]> =>
  (
    await query<{ state: string | null }>(
      'select (select state from consents c where c.person_id = p.id and channel = $1) as state from people p order by id',
      channel
    )
  ).map((r) => r.state);
const messages = () =>
  query<{ person_id: number; state: string; trouble: string | null; error: string | null }>(
    'select person_id, state, trouble, error from messages order by person_id, id'
  );
/** Their first message, as the outbox numbers it. */
const firstOf = async (person: number): Promise<number> =>
  (await query<{ id: number }>('select min(id) as id from messages where person_id = $1', person))[0]!.id;
const byLink = async (person: number): Promise<void> => {
  const token = { person, message: await firstOf(person), number: 0 };
  expect(await unsubscribed(world.pool, signToken(world.secret, 'unsubscribe', token))).toBe(true);
};
const byMail = async (person: number): Promise<unknown> =>
  takeMail(
    { pool: world.pool, secret: world.secret, soft: { count: 3, within: 14 * DAYS } },
    Buffer.from(`From: p${person}@people.example\r\nSubject: x\r\n\r\nSTOP\r\n`),
    {
      from: `p${person}@people.example`,
      to: [`reply+${messageKey(world.secret, { person, message: await firstOf(person) })}@quillmoor.example`]
    }
  );
const bounce = (person: number): Promise<unknown> =>
  query(
    `insert into happenings (person_id, name, at, source, source_id, message_id, data)
     values ($1, 'bounced', $2, 'mail', 'b', (select min(id) from messages where person_id = $1), '{"channel":"email","hard":true}')`,
    person,
    new Date(MONDAY)
  );

/** Seven people, each of whom is written to no more for a reason of their own, but for the last. */
async function withdrawEach(): Promise<void> {
  await byLink(1);
  await setConsent(
    world.pool,
    2,
    { channel: 'email', state: 'withdrawn', source: 'by telephone', wording: '' },
    'Nuala'
  );
  await byMail(3);
  await bounce(4);
  await erase(world.pool, 5, 'Nuala');
  await query('update people set email = null where id = 6');
}
const ONLY_THE_LAST = ['p7@people.example'];

describe('a message that waits', () => {
  it('while sending is stopped goes to nobody who has withdrawn, bounced or was erased since', async () => {
    await queued(7, mail('a'), wait('w'));
    await halt(world.pool, true, 'test');
    await withdrawEach();
    await halt(world.pool, false, 'test');
    await skipTo(world, MONDAY + HOUR);
    expect(world.postbox.mails.map((m) => m.to)).toEqual(ONLY_THE_LAST);
    const all = await messages();
    expect(all.map((m) => [m.person_id, m.state, m.trouble])).toEqual([
      [1, 'failed', 'withheld'],
      [2, 'failed', 'withheld'],
      [3, 'failed', 'withheld'],
      [4, 'failed', 'withheld'],
      [6, 'failed', 'withheld'],
      [7, 'sent', null]
    ]);
    expect(all[0]!.error).toMatch(/have withdrawn it/);
    expect(all[3]!.error).toMatch(/suppressed/);
    expect(all[4]!.error).toMatch(/no email address/);
    // No fault of a server, told apart, and not offered to be sent again.
    const { needs } = await today(world.pool);
    expect(needs.filter((n) => n.kind === 'matter')).toEqual([]);
    const told = needs.filter((n) => n.kind === 'failure');
    expect(told.every((n) => n.action === undefined)).toBe(true);
    expect((await sendAgain(world.pool, { journey: 'try' }, 'test')).again).toBe(0);
  });

  it('behind a server that refuses for a while is asked for again at each try', async () => {
    await queued(7, mail('a'), wait('w'));
    world.postbox.setTrouble(451);
    await dispatch(world);
    expect((await messages()).every((m) => m.state === 'queued')).toBe(true);
    await withdrawEach();
    world.postbox.setTrouble(null);
    await query(`update messages set not_before = clock_timestamp() where state = 'queued'`);
    await dispatch(world);
    expect(world.postbox.mails.map((m) => m.to)).toEqual(ONLY_THE_LAST);
  });

  it('goes to the address they have now', async () => {
    await queued(1, mail('a'), text('t'));
    await query(`update people set email = 'now@people.example', phone = '+447700999999'`);
    await dispatch(world);
    expect(world.postbox.mails.map((m) => m.to)).toEqual(['now@people.example']);
    expect(world.handset.texts.map((t) => t.number)).toEqual(['+447700999999']);
    expect(await query('select distinct address from messages order by 1')).toEqual([
      { address: '+447700999999' },
      { address: 'now@people.example' }
    ]);
  });

  it('that is a service message needs no consent, but an address that takes it', async () => {
    await queued(2, { ...mail('a'), service: true } as Step, wait('w'));
    await byLink(1);
    await bounce(2);
    await dispatch(world);
    expect(world.postbox.mails.map((m) => m.to)).toEqual(['p1@people.example']);
  });

  it('is a text: withdrawn by any word for it, it does not go', async () => {
    await queued(3, text('t'), wait('w'));
    await receivedText(world.pool, { id: 'x', from: '+447700911000', to: '', text: 'STOP' });
    await setConsent(
      world.pool,
      2,
      { channel: 'sms', state: 'withdrawn', source: 'by telephone', wording: '' },
      'Nuala'
    );
    await dispatch(world);
    expect(world.handset.texts.map((t) => t.number)).toEqual(['+447700911002']);
  });

  it('is asked for at the last moment: withdrawn while the server already waits for it, it is not given', async () => {
    const got: string[] = [];
    let reached: () => void = () => undefined;
    const atTheDoor = new Promise<void>((resolve) => (reached = resolve));
    let open: () => void = () => undefined;
    const opened = new Promise<void>((resolve) => (open = resolve));
    // A server that takes its time to say yes to a recipient.
    const slow = new SMTPServer({
      disabledCommands: ['AUTH', 'STARTTLS'],
      onRcptTo: ({ address }, _session, done) => {
        reached();
        void opened.then(() => done(address ? null : new Error('none')));
      },
      onData: (stream, session, done) => {
        stream.on('data', () => undefined);
        stream.on('end', () => {
          got.push(...session.envelope.rcptTo.map((r) => r.address));
          done();
        });
      }
    });
    slow.on('error', () => undefined);
    await new Promise<void>((resolve) => slow.listen(0, '127.0.0.1', resolve));
    const { port } = slow.server.address() as AddressInfo;
    const mailer = openMailer({ url: `smtp://127.0.0.1:${port}` });
    const engine = makeEngine(world.pool, { ...world.engine.post, mailer }, null, 0);
    await queued(2, mail('a'), wait('w'));
    const outbox = engine.outboxes[0]!;
    await outbox.fill();
    await atTheDoor;
    await byLink(1);
    await brake(world.pool, 'try', 'pause', 'test');
    await brake(world.pool, 'try', 'resume', 'test');
    open();
    await outbox.drain(20_000);
    outbox.close();
    mailer.close();
    await new Promise<void>((resolve) => slow.close(() => resolve()));
    expect(got).toEqual(['p2@people.example']);
    expect((await messages()).map((m) => [m.state, m.trouble])).toEqual([
      ['failed', 'withheld'],
      ['sent', null]
    ]);
  });

  it('is a text written by hand: stopped meanwhile, it does not go', async () => {
    await addPeople(world.pool, many(2));
    for (const [person, id] of [
      [1, 'a'],
      [2, 'b']
    ] as const)
      await answerByText(
        world.pool,
        person,
        { words: 'At eight.', once: `00000000-0000-4000-8000-00000000000${id}` },
        'Nuala'
      );
    await receivedText(world.pool, { id: 'x', from: '+447700911000', to: '', text: 'stop' });
    await query(`insert into suppressions (address, reason, at) values ('+447700911001', 'bounced', now())`);
    await sendAnswers(world.pool, {
      smsUrl: `http://127.0.0.1:${world.handset.port}`,
      smsFrom: 'T',
      secret: world.secret
    });
    expect(world.handset.texts).toEqual([]);
    expect((await query<{ error: string }>('select error from answers order by id')).map((r) => r.error)).toEqual([
      'they said that they want no texts',
      'nobody may write to this number any more: it is suppressed'
    ]);
  });
});

describe('withdrawn stays withdrawn', () => {
  const settleAll = async (): Promise<void> => {
    while (await workImport(world.pool)) await skipTo(world, MONDAY);
    await skipTo(world, MONDAY);
  };
  const csv = 'email,consent\np1@people.example,yes\np2@people.example,yes\n';

  it.each([true, false])(
    'behind an import that had been read before (heard of: %s), and when that is taken back',
    async (begins) => {
      await queued(2, mail('a'), wait('w'));
      await query(`update consents set state = 'pending' where channel = 'email'`);
      const bytes = [Buffer.from(csv)];
      const opened = await openImport(world.pool, { name: 'fair.csv', id: null, user: null, by: 'test' }, () => bytes);
      const { id } = opened;
      const consent = { ...opened.plan.consent, email: 'given' as const, source: 'a fair' };
      const preview = await readImport(world.pool, id, { ...opened.plan, begins, consent }, bytes);
      expect(preview?.changed).toBe(2);
      await byLink(1);
      await beginImport(world.pool, id, 'test');
      await settleAll();
      expect(await consents()).toEqual(['withdrawn', 'given']);
      // Somebody withdraws what it gave, somebody else had it from before: taken back, neither is given, nor withdrawn for it.
      await undoImport(world.pool, id);
      await byLink(2);
      await settleAll();
      expect(await consents()).toEqual(['withdrawn', 'withdrawn']);
    }
  );

  it('against what waits in front of it and behind it, by every door; the person’s own later act brings it back', async () => {
    await addPeople(world.pool, many(1));
    const given = { consent: { sms: 'given', email: 'given' } } as const;
    await askChange(world.pool, [1], given, 'import', '1/1');
    await receivedText(world.pool, { id: 'x', from: '+447700911000', to: '', text: 'STOP' });
    expect(await consents('sms')).toEqual(['withdrawn']);
    await askChange(world.pool, [1], given, 'import', '1/2');
    const told = (by: object) =>
      takeEvents(world.pool, new SettingsBook(), [
        {
          specversion: '1.0',
          id: `e${JSON.stringify(by)}`,
          source: 'shop',
          type: 'ambulo.set',
          time: new Date(MONDAY - 42 * DAYS).toISOString(),
          subject: '1',
          data: { consent: { sms: 'given' }, ...by }
        }
      ]);
    expect(await told({})).toMatchObject({ taken: 1 });
    expect((await told({ by: 'person' })).refused[0]?.problems[0]).toMatch(/a program acts for nobody/);
    await skipTo(world, MONDAY);
    expect(await consents('sms')).toEqual(['withdrawn']);
    await receivedText(world.pool, { id: 'y', from: '+447700911000', to: '', text: 'Start please' });
    await skipTo(world, MONDAY);
    expect(await consents('sms')).toEqual(['given']);
    const [record] = await query(
      `select state, source, wording, address from consent_records where channel = 'sms' order by id desc limit 1`
    );
    expect(record).toEqual({
      state: 'given',
      source: 'a text from +447700911000',
      wording: 'Start please',
      address: '+447700911000'
    });
  });

  it('but for one colleague, for one person, with a reason', async () => {
    await addPeople(world.pool, many(1));
    await setConsent(
      world.pool,
      1,
      { channel: 'email', state: 'withdrawn', source: 'by telephone', wording: '' },
      'Nuala'
    );
    await skipTo(world, MONDAY);
    await setConsent(world.pool, 1, { channel: 'email', state: 'given', source: 'at the desk', wording: '' }, 'Nuala');
    await skipTo(world, MONDAY);
    expect(await consents()).toEqual(['given']);
  });
});

describe('a withdrawal holds at once', () => {
  it('also of somebody whose work failed and is set aside', async () => {
    await queued(2, mail('a'), wait('w'));
    await askChange(world.pool, [1], { consent: { email: 'perhaps' as 'given' } }, 'test');
    await runBatch(world.pool, world.engine.plans);
    expect(await query('select person_id from set_aside')).toEqual([{ person_id: 1 }]);
    await byLink(1);
    await bounce(2);
    expect(await consents()).toEqual(['withdrawn', 'given']);
    expect(await query('select address from suppressions')).toEqual([{ address: 'p2@people.example' }]);
    await dispatch(world);
    expect(world.postbox.mails).toEqual([]);
  });

  it('twice in a minute with a yes in between: the last word counts', async () => {
    await queued(1, mail('a'), wait('w'));
    await byLink(1);
    await setConsent(world.pool, 1, { channel: 'email', state: 'given', source: 'at the desk', wording: '' }, 'Nuala');
    await skipTo(world, MONDAY);
    expect(await consents()).toEqual(['given']);
    await byLink(1);
    expect(await consents()).toEqual(['withdrawn']);
    await skipTo(world, MONDAY);
    expect(await consents()).toEqual(['withdrawn']);
  });

  it('and journeys hear of it in its turn: what waits in the inbox comes to what the replay says', async () => {
    const lanes = journey(
      [
        mail('a'),
        {
          key: 'l',
          kind: 'listen',
          for: [
            {
              label: 'no',
              when: { happening: 'consent_changed', channel: 'email', to: 'withdrawn' },
              lane: [mail('c')]
            }
          ],
          limit: 'P2D',
          otherwise: { label: 'else', lane: [mail('d')] }
        } as Step
      ],
      { entry: { on: [{ happening: 'tag_added', tag: 'in' }], again: 'each' } }
    );
    const inputs: TimedInput['input'][] = [
      { kind: 'set', addTags: ['in'] },
      { kind: 'set', removeTags: ['in'], consent: { email: 'given' } },
      { kind: 'set', addTags: ['in'] },
      { kind: 'happening', happening: { name: 'unsubscribed', at: MONDAY, channel: 'email' } },
      { kind: 'set', consent: { email: 'given' } },
      { kind: 'set', removeTags: ['in'] },
      { kind: 'set', addTags: ['in'], consent: { email: 'given' }, by: 'person' },
      { kind: 'set', removeTags: ['in'], consent: { email: 'withdrawn' } },
      { kind: 'happening', happening: { name: 'bounced', at: MONDAY, channel: 'email', hard: true } },
      { kind: 'set', addTags: ['in'] }
    ];
    const people = [reachable('1'), reachable('2', (p) => (p.fields.set('phone', '+447700911001'), (p.consent = {})))];
    await addPeople(world.pool, people);
    await live(world, lanes);
    const timed = people.flatMap((p, i) =>
      inputs.map((input, n): TimedInput => ({ at: MONDAY, person: p.id, line: i * 100 + n + 1, input }))
    );
    for (const { person, input } of timed) {
      const data = bare<unknown>();
      let name: string = input.kind;
      if (input.kind === 'happening') {
        const { name: own, at: _, ...rest } = input.happening;
        name = own;
        Object.assign(data, rest);
      } else Object.assign(data, { ...input, kind: undefined });
      await query(
        `insert into happenings (person_id, name, at, source, data) values ($1, $2, $3, 'test', $4)`,
        Number(person),
        name,
        new Date(MONDAY),
        JSON.stringify(data)
      );
    }
    expect(await consents()).toEqual(['withdrawn', 'withdrawn']);
    await settle(world.engine, false);
    await skipTo(world, MONDAY + 3 * DAYS);
    const expected = replay({
      journeys: [lanes],
      settings: null,
      people,
      inputs: timed,
      from: MONDAY,
      until: MONDAY + 3 * DAYS
    });
    expect(await trailOf(world.pool)).toEqual(expected);
    expect(await consents()).toEqual(['withdrawn', 'withdrawn']);
    // Nothing was written to either of them: what was queued in its turn met the truth when it was to leave.
    expect(world.postbox.mails).toEqual([]);
    expect(await query('select from consents where told_by is not null')).toEqual([]);
  });
});

describe('a confirmation', () => {
  const ask: Step = { key: 'ask', kind: 'consent', channel: 'sms', state: 'pending' };
  const link = (): string => /\/c\/([\w-]+)/.exec(world.handset.texts.at(-1)?.text ?? '')?.[1] ?? '';

  it('proves the address that its link went to, in the words that asked, and no other', async () => {
    await addPeople(world.pool, [reachable('1', (p) => (p.consent = {}))]);
    await live(world, journey([ask]));
    await askEntry(world.pool, [1], 'try', 'test');
    await settle(world.engine, false);
    await query(`update people set phone = '+447700999999'`);
    expect(await asking(world.pool, link())).toMatchObject({ address: '+447700900001', moved: true });
    expect(await confirm(world.pool, link())).toBe(false);
    await query(`update people set phone = '+447700900001'`);
    expect(await confirm(world.pool, link())).toBe(true);
    // Changed again before it was worked off: it is not said of the new one either.
    await query(`update people set phone = '+447700999999'`);
    await settle(world.engine, false);
    expect(await consents('sms')).toEqual(['pending']);
  });

  it('stands on the record with its address, words, instant and way', async () => {
    await addPeople(world.pool, [reachable('1', (p) => (p.consent = {}))]);
    await live(world, journey([ask]));
    await askEntry(world.pool, [1], 'try', 'test');
    await settle(world.engine, false);
    expect(await confirm(world.pool, link())).toBe(true);
    await settle(world.engine, false);
    expect(
      await query(
        `select state, source, wording, address from consent_records where state = 'given' and channel = 'sms'`
      )
    ).toEqual([
      {
        state: 'given',
        source: 'confirmed by the link sent to +447700900001',
        wording: 'Test: please confirm that you want texts from us:',
        address: '+447700900001'
      }
    ]);
  });
});

it('a message in hand while its journey is ended is not left to wait for ever', async () => {
  await queued(1, mail('a'), wait('w'));
  world.postbox.setTrouble(451);
  world.postbox.setDelay(300);
  const outbox = world.engine.outboxes[0]!;
  await outbox.fill();
  await brake(world.pool, 'try', 'end', 'test');
  await outbox.drain(20_000);
  expect(await messages()).toMatchObject([{ state: 'failed', trouble: 'ended' }]);
});

it('texts written by hand go no faster than texts may', async () => {
  await addPeople(world.pool, many(4));
  for (const person of [1, 2, 3, 4])
    await answerByText(
      world.pool,
      person,
      { words: 'At eight.', once: `00000000-0000-4000-8000-00000000000${person}` },
      'Nuala'
    );
  const post = {
    smsUrl: `http://127.0.0.1:${world.handset.port}`,
    smsFrom: 'T',
    secret: world.secret,
    rates: { channel: { sms: 12 } }
  };
  expect(await sendAnswers(world.pool, post)).toBe(1);
  expect(world.handset.texts).toHaveLength(1);
  expect(await query(`select from answers where state = 'queued' and attempts = 0`)).toHaveLength(3);
});
