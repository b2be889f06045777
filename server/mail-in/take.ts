/**
 * Taking a mail that came in: whom it is about, what becomes of it, stored before it is answered for. One that is about
 * nobody here is kept for whoever looks; nothing a mail holds can stop the next.
 */
import { createHash } from 'node:crypto';
import { repaired } from '../../core/text/text.ts';
import { DAY } from '../../core/time/duration.ts';
import { now } from '../workspace/clock.ts';
import { changed, notify } from '../db/notify.ts';
import { againIfGone, transaction, ts, type Db, type Pool } from '../db/pool.ts';
import { copiesOf, suppressEarlier, wentTo } from '../mail/copies.ts';
import { noteTried } from '../post/doubts.ts';
import { askWhetherToStop } from '../post/letters.ts';
import { readKey } from '../mail/message-id.ts';
import { Thread } from '../threads/thread.ts';
import type { Classified, Envelope } from './classify.ts';
import { isProven, type TrustedServer } from './proof.ts';
import type { MailAsked, MailRead } from './reading.ts';
import { keepStray } from './stray.ts';

export interface MailIn {
  pool: Pool;
  secret: Buffer;
  /** So many soft bounces on as many days within `within` ms make a hard one. */
  soft: { count: number; within: number };
  /** Receiving servers whose word on who sent a mail is believed; absent: none. */
  trusted?: readonly TrustedServer[];
}

export type TakenAs = 'stored' | 'known' | 'stray' | 'unreadable' | 'asked';

/** The longest answer that is kept, in characters. */
const MOST_TEXT = 20_000;
/** A mail that takes longer to read is kept as one that cannot be read, ms. */
const READING_MS = 10_000;

const reader = new Thread<MailAsked, MailRead>('server/mail-in/reading.ts', READING_MS);

interface About {
  person_id: number;
  walk_id: number | null;
  journey_id: number | null;
  step: string | null;
  id: number | null;
  /** Where that copy of the message had gone of which it tells. */
  address: string;
  copy: number;
  /** Whether the message has gone out once more since, and whether to another address. */
  earlier: boolean;
  elsewhere: boolean;
}

/** Takes one mail. Throws only where the database is away: then it has to come again. */
export async function takeMail(mailIn: MailIn, raw: Buffer, envelope: Envelope): Promise<TakenAs> {
  const { pool, secret, soft, trusted = [] } = mailIn;
  // The same mail for two of our addresses is two: each says something of its own.
  const id = createHash('sha256').update(envelope.to.join(' ')).update(raw).digest('hex').slice(0, 32);
  let read: MailRead;
  try {
    read = await reader.ask({ raw, envelope });
  } catch (error) {
    await keepStray(pool, id, envelope, {
      subject: '',
      text: raw.subarray(0, 2000).toString('latin1'),
      why: `it cannot be read: ${(error as Error).message}`
    });
    return 'unreadable';
  }
  const { inbound, keys } = read;
  const store = async (db: Db): Promise<TakenAs> => {
    const byKey = await ofKey(db, secret, keys);
    const writes = inbound.kind === 'replied' || inbound.kind === 'unsubscribed';
    const about = byKey ?? (writes ? await senderOf(db, read.from) : null);
    if (!about) {
      await keepStray(db, id, envelope, {
        subject: read.subject,
        text: read.text,
        why: `${inbound.kind}, about no message of ours`
      });
      return 'stray';
    }
    if (inbound.kind === 'report') return 'known';
    const at = await now(db);
    // Who only says who they are may answer, and is shown as saying so; to act for them takes a proof.
    const claimed = !byKey && !isProven(read, envelope.client ?? '', trusted);
    const asks = claimed && inbound.kind === 'unsubscribed';
    const [name, data] = asks
      ? repliedBy({ text: read.text.trim() || read.subject, subject: read.subject, machine: false }, true)
      : await happeningOf(db, inbound, about, at, soft, claimed);
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
    if (asks) await askWhetherToStop(db, about.person_id, about.address);
    if (over && data['hard']) await suppressEarlier(db, about.address, at);
    // What is told of an earlier copy says nothing about the one that is on its way. One that bounces before it is on record
    // that it went out is noted on it, and counts once it is.
    if (name === 'bounced' && about.id !== null && !about.earlier) {
      await db.query(
        `update messages set state = case state when 'sent' then 'bounced' else state end, trouble = $3, error = $4,
           early_bounce = case state when 'sending' then $5::integer end
         where person_id = $1 and id = $2 and state in ('sent', 'sending')`,
        [about.person_id, about.id, data['hard'] ? 'mailbox' : 'full', data['error'], about.copy]
      );
    }
    await notify(db, 'inbox');
    await changed(db, { people: [about.person_id], post: true });
    return asks ? 'asked' : 'stored';
  };
  return againIfGone(() => transaction(pool, store));
}

/** An answer. `claimed`: it is not known that it is from whom it says. */
function repliedBy(
  { text, subject, machine }: { text: string; subject: string; machine: boolean },
  claimed: boolean
): [name: string, data: Record<string, unknown>] {
  return [
    'replied',
    {
      channel: 'email',
      text: repaired(text, MOST_TEXT),
      subject: repaired(subject, 300),
      ...(machine ? { machine: true } : {}),
      ...(claimed ? { claimed: true } : {})
    }
  ];
}

/** What a mail is, as a happening. */
async function happeningOf(
  db: Db,
  inbound: Exclude<Classified['inbound'], { kind: 'report' }>,
  about: About,
  at: number,
  soft: MailIn['soft'],
  claimed: boolean
): Promise<[name: string, data: Record<string, unknown>]> {
  const channel = { channel: 'email' };
  switch (inbound.kind) {
    case 'bounced': {
      const error = repaired(inbound.error, 500);
      // Many of one domain at once are no news of each of them.
      const inDoubt =
        inbound.hard && (await noteTried(db, [{ address: about.address, refused: error }], false))(about.address);
      // Only a mailbox that is full day after day is given up: what is about us, or about the moment, says nothing of it.
      const hard = (inbound.hard && !inDoubt) || (inbound.full && (await softTooOften(db, about, at, soft)));
      return [
        'bounced',
        {
          ...channel,
          hard,
          ...(inbound.full ? { full: true } : {}),
          error: hard && !inbound.hard ? `${error} (for the ${soft.count}th day)` : error,
          // Of a letter that no journey sent: it is not about the latest message either.
          ...(about.journey_id === null ? { about: { step: '', journey: '' } } : {})
        }
      ];
    }
    case 'complained':
      return ['complained', { ...channel, feedback: repaired(inbound.feedback, 50) }];
    case 'unsubscribed':
      return ['unsubscribed', channel];
    case 'replied':
      return repliedBy(inbound, claimed);
  }
}

/** Whether so many days on which their mailbox was full, this one included, are enough to give an address up. */
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
        where person_id = $1 and name = 'bounced' and data ->> 'channel' = 'email' and data ->> 'full' = 'true' and at > $2 and at < $3
        union all select $3::timestamptz
      ) as b`,
    values: [person, ts(at - within), ts(at)]
  });
  return (rows[0]?.days ?? 0) >= count;
}

/** What the first valid key names: a message, or something else that we sent. */
async function ofKey(db: Db, secret: Buffer, keys: string[]): Promise<About | null> {
  for (const key of keys) {
    const ref = readKey(secret, key);
    if (!ref) continue;
    const { rows } =
      ref.kind === 'message'
        ? await db.query<About>({
            name: 'message-of-key',
            text: `select person_id, walk_id, journey_id, step, id, ${wentTo('m', '$3')} as address, $3::integer as copy,
                ${copiesOf('m')} > $3 as earlier, ${wentTo('m', '$3')} <> address as elsewhere
              from messages m where person_id = person_now($1) and id = $2`,
            values: [ref.person, ref.message, ref.copy]
          })
        : ref.kind === 'errand'
          ? await db.query<About>({
              name: 'errand-of-key',
              text: `select e.person_id, e.walk_id, e.journey_id, e.step, null::bigint as id, e.address, 0 as copy, false as earlier,
                  lower(e.address) is distinct from lower(p.email) as elsewhere
                from errands e join people p on p.id = e.person_id
                where e.person_id = person_now($1) and e.id = $2 and e.address is not null`,
              values: [ref.person, ref.errand]
            })
          : ref.kind === 'letter'
            ? await db.query<About>({
                name: 'letter-of-key',
                text: `select l.person_id, null::integer as walk_id, null::bigint as journey_id, null as step, null::bigint as id, l.address, 0 as copy,
                    false as earlier, lower(l.address) is distinct from lower(p.email) as elsewhere
                  from letters l join people p on p.id = l.person_id where l.person_id = person_now($1) and l.id = $2`,
                values: [ref.person, ref.letter]
              })
            : { rows: [] };
    if (rows[0]) return rows[0];
  }
  return null;
}

/** Whoever wrote, by their address: an answer that names no message is about the latest, as the engine finds it. */
async function senderOf(db: Db, address: string | null): Promise<About | null> {
  if (!address) return null;
  const { rows } = await db.query<About>({
    name: 'sender-of-mail',
    text: `select id as person_id, null::integer as walk_id, null::bigint as journey_id, null as step, null::bigint as id, $1 as address,
        0 as copy, false as earlier, false as elsewhere
      from people where id = person_of_email($1)`,
    values: [address]
  });
  return rows[0] ?? null;
}
