/**
 * Letters that no journey sends: whoever is said to have written that they want no more mail, and could not prove that it was
 * them, is asked by a mail with a link. At most once a day, whoever writes in their name and however often.
 */
import { now, readClock } from '../workspace/clock.ts';
import { changed, notify } from '../db/notify.ts';
import { ts, type Db, type Pool } from '../db/pool.ts';
import { signToken } from '../intake/token.ts';
import type { Handed } from '../mail/answer.ts';
import { Withheld } from '../mail/smtp.ts';
import { LEASE, Leases } from './leases.ts';
import { isSuppressed } from '../mail/reachable.ts';
import { letterKey } from '../mail/message-id.ts';
import { senderName, type Post } from './outbox.ts';

interface Row {
  person_id: number;
  id: number;
  address: string;
  attempts: number;
  claim: number;
}

const SIDE_BY_SIDE = 8;
const MOST_TRIES = 12;

/** Puts a question whether they want to stop on its way, but where they were asked within a day. */
export async function askWhetherToStop(db: Db, person: number, address: string): Promise<void> {
  await db.query(
    `insert into letters (person_id, kind, address, at)
     select id, 'stop?', $2, $3 from people
     where id = $1 and not exists (select from letters l where l.person_id = $1 and l.kind = 'stop?' and l.address = $2
       and l.at > $3::timestamptz - interval '1 day')`,
    [person, address, ts(await now(db))]
  );
  await notify(db, 'outbox');
}

/** Sends what is due; how many were taken. */
export async function sendLetters(pool: Pool, post: Post): Promise<number> {
  const { rows } = await pool.query<Row>({
    name: 'claim-letters',
    text: `
      update letters l
      set state = 'sending', attempts = l.attempts + 1, claim = l.claim + 1, not_before = ${LEASE}
      from (
        select person_id, id from letters
        where state in ('queued', 'sending') and coalesce(not_before <= clock_timestamp(), true)
          and not exists (select from workspace where sending_stopped_at is not null)
        order by id limit ${SIDE_BY_SIDE} for update skip locked
      ) as due
      where l.person_id = due.person_id and l.id = due.id
      returning l.person_id, l.id, l.address, l.attempts, l.claim`
  });
  if (!rows.length) return 0;
  const { now: at } = await readClock(pool);
  const leases = new Leases<Row>(pool, 'letters');
  leases.hold(rows);
  try {
    await Promise.all(
      rows.map(async (row) => {
        const handed = await send(pool, post, row, at);
        if (handed) await record(pool, row, handed);
        leases.letGo(row);
      })
    );
  } finally {
    leases.close();
  }
  return rows.length;
}

/** `null`: it is not ours any more. */
async function send(pool: Pool, post: Post, row: Row, at: number): Promise<Handed | null> {
  const key = letterKey(post.secret, { person: row.person_id, letter: row.id });
  const token = signToken(post.secret, 'unsubscribe', { person: row.person_id, message: 0, number: 1 });
  const sender = senderName(post.mailFrom);
  try {
    return await post.mailer.send(
      {
        from: post.mailFrom,
        to: row.address,
        replyTo: null,
        messageId: `<${key}@${post.mailDomain}>`,
        returnPath: `bounce+${key}@${post.mailDomain}`,
        date: at,
        subject: 'Do you want no more emails from us?',
        text: `Somebody, perhaps you, wrote to us from this address to say that it should get no more emails from ${sender}. Anybody can write a sender’s name, so we ask you. If it was you, press the button on this page, and we stop:\n\n${new URL(`/u/${token}`, post.base).toString()}\n\nIf it was not you, there is nothing to do.\n`,
        html: null,
        unsubscribe: null
      },
      async () => {
        const { rows } = await pool.query<{ barred: boolean }>({
          name: 'may-write',
          text: `select ${isSuppressed('l.address')} as barred from letters l
            where l.person_id = $1 and l.id = $2 and l.claim = $3 and l.state = 'sending' and l.not_before > clock_timestamp()`,
          values: [row.person_id, row.id, row.claim]
        });
        if (!rows[0]) throw new Withheld(null);
        if (rows[0].barred)
          throw new Withheld<Handed>({
            ok: false,
            kind: 'withheld',
            error: 'nobody may write to this address any more'
          });
      }
    );
  } catch (error) {
    if (error instanceof Withheld) return error.why as Handed | null;
    return { ok: false, kind: 'temporary', error: (error as Error).message };
  }
}

async function record(db: Db, row: Row, handed: Handed): Promise<void> {
  const again = !handed.ok && handed.kind !== 'mailbox' && handed.kind !== 'withheld' && row.attempts < MOST_TRIES;
  await db.query(
    `update letters set state = $4, error = $5, not_before = case when $6 then clock_timestamp() + make_interval(secs => $7) end
     where person_id = $1 and id = $2 and claim = $3`,
    [
      row.person_id,
      row.id,
      row.claim,
      handed.ok ? 'sent' : again ? 'queued' : 'failed',
      handed.ok ? null : handed.error.slice(0, 500),
      again,
      Math.min(300, 2 ** row.attempts)
    ]
  );
  await changed(db, { people: [row.person_id] });
}
