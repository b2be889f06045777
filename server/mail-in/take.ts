/**
 * Taking a mail that came in: whom it is about, what becomes of it, stored before it is answered for. One that is about
 * nobody here is kept for whoever looks; nothing a mail holds can stop the next.
 */
import { createHash } from 'node:crypto';
import { simpleParser, type ParsedMail } from 'mailparser';
import { repaired } from '../../core/text/text.ts';
import { DAY } from '../../core/time/duration.ts';
import { now } from '../clock/clock.ts';
import { changed, notify } from '../db/notify.ts';
import { againIfGone, transaction, ts, type Db, type Pool } from '../db/pool.ts';
import { copiesOf, suppressEarlier, wentTo } from '../engine/copies.ts';
import { readMessageKey } from '../engine/message-id.ts';
import { classify, type Classified, type Envelope } from './classify.ts';

export interface MailIn {
  pool: Pool;
  secret: Buffer;
  /** So many soft bounces on as many days within `within` ms make a hard one. */
  soft: { count: number; within: number };
}

export type TakenAs = 'stored' | 'known' | 'stray' | 'unreadable';

/** The longest answer that is kept, in characters. */
const MOST_TEXT = 20_000;

interface About {
  person_id: number;
  walk_id: number | null;
  journey_id: number | null;
  step: string | null;
  id: number | null;
  /** Where that copy of the message had gone of which it tells. */
  address: string;
  /** Whether the message has gone out once more since, and whether to another address. */
  earlier: boolean;
  elsewhere: boolean;
}

/** Takes one mail. Throws only where the database is away: then it has to come again. */
export async function takeMail({ pool, secret, soft }: MailIn, raw: Buffer, envelope: Envelope): Promise<TakenAs> {
  // The same mail for two of our addresses is two: each says something of its own.
  const id = createHash('sha256').update(envelope.to.join(' ')).update(raw).digest('hex').slice(0, 32);
  let mail: ParsedMail;
  let read: Classified;
  try {
    mail = await simpleParser(raw, { skipImageLinks: true, maxHtmlLengthToParse: 1_000_000 });
    read = classify(mail, envelope);
  } catch (error) {
    await stray(
      pool,
      id,
      envelope,
      { subject: '', text: raw.subarray(0, 2000).toString('latin1') },
      `it cannot be read: ${(error as Error).message}`
    );
    return 'unreadable';
  }
  const { inbound, keys } = read;
  const store = async (db: Db): Promise<TakenAs> => {
    const about =
      (await messageOf(db, secret, keys)) ??
      (inbound.kind === 'replied' || inbound.kind === 'unsubscribed' ? await senderOf(db, mail) : null);
    if (!about) {
      await stray(
        db,
        id,
        envelope,
        { subject: mail.subject ?? '', text: mail.text ?? '' },
        `${inbound.kind}, about no message of ours`
      );
      return 'stray';
    }
    if (inbound.kind === 'report') return 'known';
    const at = await now(db);
    const [name, data] = await happeningOf(db, inbound, about, at, soft);
    // What bounced where they are no more is on record; nothing follows from it for them.
    const over = name === 'bounced' && about.elsewhere;
    const { rowCount } = await db.query({
      name: 'store-mail',
      text: `
        insert into happenings (person_id, name, at, source, source_id, walk_id, journey_id, step, message_id, data, record, handled_at)
        values ($1, $2, $3, 'mail', $4, $5, $6, $7, $8, $9, case when $10::boolean then 0 end, case when $10 then $3::timestamptz end)
        on conflict do nothing`,
      values: [
        about.person_id,
        name,
        ts(at),
        id,
        about.walk_id,
        about.journey_id,
        about.step,
        about.id,
        JSON.stringify(data),
        over
      ]
    });
    if (!rowCount) return 'known';
    if (over && data['hard']) await suppressEarlier(db, about.address, at);
    // What is told of an earlier copy says nothing about the one that is on its way.
    if (name === 'bounced' && about.id !== null && !about.earlier) {
      await db.query(
        `update messages set state = 'bounced', trouble = $3, error = $4 where person_id = $1 and id = $2 and state = 'sent'`,
        [about.person_id, about.id, data['hard'] ? 'mailbox' : 'full', data['error']]
      );
    }
    await notify(db, 'inbox');
    await changed(db, { people: [about.person_id], post: true });
    return 'stored';
  };
  return againIfGone(() => transaction(pool, store));
}

/** What a mail is, as a happening. */
async function happeningOf(
  db: Db,
  inbound: Exclude<Classified['inbound'], { kind: 'report' }>,
  about: About,
  at: number,
  soft: MailIn['soft']
): Promise<[name: string, data: Record<string, unknown>]> {
  const channel = { channel: 'email' };
  switch (inbound.kind) {
    case 'bounced': {
      const error = repaired(inbound.error, 500);
      const hard = inbound.hard || (await softTooOften(db, about, at, soft));
      return [
        'bounced',
        { ...channel, hard, error: hard && !inbound.hard ? `${error} (for the ${soft.count}th day)` : error }
      ];
    }
    case 'complained':
      return ['complained', { ...channel, feedback: repaired(inbound.feedback, 50) }];
    case 'unsubscribed':
      return ['unsubscribed', channel];
    case 'replied':
      return [
        'replied',
        {
          ...channel,
          text: repaired(inbound.text, MOST_TEXT),
          subject: repaired(inbound.subject, 300),
          ...(inbound.machine ? { machine: true } : {})
        }
      ];
  }
}

/** Whether so many days with soft bounces, this one included, are enough to give an address up. */
async function softTooOften(
  db: Db,
  { person_id: person }: About,
  at: number,
  { count, within }: MailIn['soft']
): Promise<boolean> {
  const { rows } = await db.query<{ days: number }>({
    name: 'soft-bounces',
    text: `
      select count(distinct floor(extract(epoch from at) * 1000 / ${DAY})) as days
      from (
        select at from happenings
        where person_id = $1 and name = 'bounced' and data ->> 'channel' = 'email' and at > $2 and at < $3
        union all select $3::timestamptz
      ) as b`,
    values: [person, ts(at - within), ts(at)]
  });
  return (rows[0]?.days ?? 0) >= count;
}

/** The message that the first valid key names. */
async function messageOf(db: Db, secret: Buffer, keys: string[]): Promise<About | null> {
  for (const key of keys) {
    const ref = readMessageKey(secret, key);
    if (!ref) continue;
    const { rows } = await db.query<About>({
      name: 'message-of-key',
      text: `select person_id, walk_id, journey_id, step, id, ${wentTo('m', '$3')} as address, ${copiesOf('m')} > $3 as earlier,
          ${wentTo('m', '$3')} <> address as elsewhere
        from messages m where person_id = person_now($1) and id = $2`,
      values: [ref.person, ref.message, ref.copy]
    });
    if (rows[0]) return rows[0];
  }
  return null;
}

/** Whoever wrote, by their address: an answer that names no message is about the latest, as the engine finds it. */
async function senderOf(db: Db, mail: ParsedMail): Promise<About | null> {
  const address = mail.from?.value[0]?.address;
  if (!address) return null;
  const { rows } = await db.query<About>({
    name: 'sender-of-mail',
    text: `select id as person_id, null::integer as walk_id, null::bigint as journey_id, null as step, null::bigint as id, $1 as address, false as earlier, false as elsewhere
      from people where id = person_of_email($1)`,
    values: [address]
  });
  return rows[0] ?? null;
}

async function stray(
  db: Db,
  id: string,
  envelope: Envelope,
  { subject, text }: { subject: string; text: string },
  why: string
): Promise<void> {
  await db.query(
    `insert into stray_mails (source_id, sender, recipient, subject, body, why, at)
     values ($1, $2, $3, $4, $5, $6, $7) on conflict do nothing`,
    [
      id,
      repaired(envelope.from, 320),
      repaired(envelope.to.join(', '), 1000),
      repaired(subject, 300),
      repaired(text, MOST_TEXT),
      repaired(why, 300),
      ts(await now(db))
    ]
  );
  await changed(db, { post: true });
}
