/**
 * Texts written by hand in answer to somebody's: each is claimed under a lease, handed over under an id of its own, and its
 * outcome recorded by the claim that it came of. A sender that dies lets its lease run out; the text goes again with the same
 * id, by which the gateway drops a repeat.
 */
import { readClock } from '../workspace/clock.ts';
import { changed } from '../db/notify.ts';
import type { Db, Pool } from '../db/pool.ts';
import type { Handed } from '../mail/answer.ts';
import { sendSms } from '../sms/gateway.ts';
import { LEASE, Leases } from './leases.ts';
import { isSuppressed } from '../mail/reachable.ts';
import { answerKey } from '../mail/message-id.ts';
import { withinRates, type Rates } from './rates.ts';

export interface AnswerPost {
  smsUrl: string;
  smsFrom: string;
  secret: Buffer;
  /** How fast texts go out, those of journeys together with these. */
  rates?: Rates;
}

interface Row {
  person_id: number;
  id: number;
  known_as: number;
  address: string;
  body: string;
  attempts: number;
  claim: number;
}

/** Handed over side by side. */
const SIDE_BY_SIDE = 8;
/** After so many tries it is given up: somebody waits for an answer, and can be told. */
const MOST_TRIES = 12;

/** What an answer to a text asks right before it goes: whether it is still ours, and whether they want it. */
interface MayAnswer {
  refused: boolean;
  suppressed: boolean;
  halted: boolean;
}

/** While sending is stopped nothing goes out by hand either. */
const HALTED = `(exists (select from workspace where sending_stopped_at is not null)
  or exists (select from channels where channel = 'sms' and stopped_at is not null))`;

const withheld = (error: string): Handed => ({ ok: false, kind: 'withheld', error });

/** Sends what is due; how many were taken. */
export async function sendAnswers(pool: Pool, post: AnswerPost): Promise<number> {
  const { rows } = await pool.query<Row>({
    name: 'claim-answers',
    text: `
      update answers a
      set state = 'sending', attempts = a.attempts + 1, claim = a.claim + 1, not_before = ${LEASE}
      from (
        select person_id, id from answers
        where state in ('queued', 'sending') and coalesce(not_before <= clock_timestamp(), true) and not ${HALTED}
        order by id limit ${SIDE_BY_SIDE} for update skip locked
      ) as due
      where a.person_id = due.person_id and a.id = due.id
      returning a.person_id, a.id, coalesce(a.known_as, a.person_id) as known_as, a.address, a.body, a.attempts, a.claim`
  });
  if (!rows.length) return 0;
  const { now: going, later } = await withinRates(pool, 'sms', post.rates ?? { channel: {} }, rows);
  for (const { row, seconds } of later)
    await pool.query(
      `update answers set state = 'queued', attempts = attempts - 1, not_before = clock_timestamp() + make_interval(secs => $4)
       where person_id = $1 and id = $2 and claim = $3`,
      [row.person_id, row.id, row.claim, seconds]
    );
  if (!going.length) return 0;
  const { now } = await readClock(pool);
  const leases = new Leases<Row>(pool, 'answers');
  leases.hold(going);
  try {
    await Promise.all(
      going.map(async (row) => {
        const id = answerKey(post.secret, { person: row.known_as, answer: row.id });
        const sms = { id, from: post.smsFrom, to: row.address, text: row.body, at: now };
        const handed = (await leave(pool, row)) ?? (await sendSms(post.smsUrl, sms));
        if (handed !== 'not ours') await record(pool, row, handed);
        leases.letGo(row);
      })
    );
  } finally {
    leases.close();
  }
  return going.length;
}

/** `null`: it may go. */
async function leave(pool: Pool, row: Row): Promise<Handed | 'not ours' | null> {
  const { rows } = await pool.query<MayAnswer>({
    name: 'may-answer',
    text: `
      select ${HALTED} as halted, ${isSuppressed('a.address')} as suppressed,
        exists (select from consents c where c.person_id = a.person_id and c.channel = 'sms' and c.state = 'withdrawn') as refused
      from answers a
      where a.person_id = $1 and a.id = $2 and a.claim = $3 and a.state = 'sending' and a.not_before > clock_timestamp()`,
    values: [row.person_id, row.id, row.claim]
  });
  const [may] = rows;
  if (!may) return 'not ours';
  if (may.suppressed) return withheld('nobody may write to this number any more: it is suppressed');
  if (may.refused) return withheld('they said that they want no texts');
  return may.halted ? { ok: false, kind: 'away', error: 'sending was stopped' } : null;
}

async function record(db: Db, row: Row, handed: Handed): Promise<void> {
  const again = !handed.ok && handed.kind !== 'mailbox' && handed.kind !== 'withheld' && row.attempts < MOST_TRIES;
  await db.query(
    `update answers set state = $4, error = $5, not_before = case when $6 then clock_timestamp() + make_interval(secs => $7) end
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
