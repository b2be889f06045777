/**
 * Texts that come in: answers, and the words that stop, start and ask for help; and what the gateway reports of texts that
 * went out. Stored first and answered at once; the same id twice is one.
 */
import { wordOf, type TextWords } from '../../core/message/text-words.ts';
import { repaired } from '../../core/text/text.ts';
import { MINUTE } from '../../core/time/duration.ts';
import { now } from '../workspace/clock.ts';
import { changed, notify } from '../db/notify.ts';
import { againIfGone, transaction, ts, type Db, type Pool } from '../db/pool.ts';
import { copiesOf, suppressEarlier, wentTo } from '../mail/copies.ts';
import { readAnswerKey, readMessageKey, type MessageRef } from '../mail/message-id.ts';
import { requestRow } from '../inbox/request.ts';
import type { DeliveryReport, InboundText } from '../sms/gateway.ts';

/** What became of a text. `help`: what asks for help is answered at once, by these words where there are any. */
export type ReceivedText = { as: 'taken' | 'stray' } | { as: 'help'; say: string | null };

/** A text came in. `stray`: from a number nobody here has; kept aside. */
export async function receivedText(pool: Pool, inbound: InboundText): Promise<ReceivedText> {
  return againIfGone(() => takeText(pool, inbound));
}

function takeText(pool: Pool, inbound: InboundText): Promise<ReceivedText> {
  return transaction(pool, async (db): Promise<ReceivedText> => {
    const at = ts(await now(db));
    const words = await textWords(db);
    const word = wordOf(inbound.text, words);
    const person = await db.query<{ id: number | null }>('select person_of_number($1) as id', [inbound.from]);
    const id = person.rows[0]?.id ?? null;
    if (id === null) {
      await db.query(
        'insert into stray_texts (source_id, sender, body, at) values ($1, $2, $3, $4) on conflict do nothing',
        [inbound.id, inbound.from, inbound.text, at]
      );
      return { as: 'stray' };
    }
    const said = { channel: 'sms', text: inbound.text };
    if (word === 'start') {
      // Whoever stopped by a text may start by one; it is an answer all the same.
      await db.query(
        `insert into happenings (person_id, name, at, source, source_id, data) values ($1, 'set', $2, 'sms', $3, $4)
         on conflict do nothing`,
        [
          id,
          at,
          `${inbound.id} start`,
          requestRow('set', { consent: { sms: 'given' }, by: 'person', proof: startedBy(inbound) }).data
        ]
      );
    }
    // An answer belongs to the latest text, if that is at most 30 days old.
    await db.query(
      `insert into happenings (person_id, name, at, source, source_id, walk_id, journey_id, step, message_id, data)
       select $1, $2, $3, 'sms', $4, m.walk_id, m.journey_id, m.step, m.id, $5
       from (select 1) as one
       left join lateral (
         select walk_id, journey_id, step, id from messages
         where person_id = $1 and channel = 'sms' and created_at > $3::timestamptz - interval '30 days'
         order by created_at desc, id desc
         limit 1
       ) m on true
       on conflict do nothing`,
      [id, word === 'stop' ? 'unsubscribed' : 'replied', at, inbound.id, JSON.stringify(said)]
    );
    await notify(db, 'inbox');
    return word === 'help' ? { as: 'help', say: words.helpText ?? null } : { as: 'taken' };
  });
}

/** What stands with a consent that somebody gave by a text: the words, and the number they came from. */
const startedBy = ({ from, text }: InboundText): { source: string; wording: string; address: string } => ({
  source: `a text from ${from}`,
  wording: repaired(text, 500),
  address: from
});

/** The workspace's own words beside those of each language. */
export async function textWords(db: Db): Promise<TextWords> {
  const { rows } = await db.query<{ words: TextWords }>({ name: 'text-words', text: 'select words from workspace' });
  return rows[0]?.words ?? {};
}

export async function saveTextWords(db: Db, words: TextWords): Promise<void> {
  await db.query('update workspace set words = $1', [JSON.stringify(words)]);
}

/** The gateway says what became of a text that it took. False where it names none of ours. */
export async function textReported(pool: Pool, secret: Buffer, report: DeliveryReport): Promise<boolean> {
  const answer = readAnswerKey(secret, report.id);
  if (answer) return (await answerReported(pool, answer, report)) || answerReported(pool, answer, report);
  const ref = readMessageKey(secret, report.id);
  if (!ref) return false;
  const take = (): Promise<boolean> => againIfGone(() => transaction(pool, (db) => takeReport(db, ref, report)));
  // Whoever is just being made one with somebody is found under the other number the next time.
  return (await take()) || take();
}

async function takeReport(db: Db, ref: MessageRef, report: DeliveryReport): Promise<boolean> {
  const at = await now(db);
  const { rows } = await db.query<{
    person_id: number;
    walk_id: number;
    journey_id: number;
    step: string;
    earlier: boolean;
    elsewhere: boolean;
    number: string;
  }>(
    `select person_id, walk_id, journey_id, step, ${copiesOf('m')} > $3 as earlier, ${wentTo('m', '$3')} <> address as elsewhere,
       ${wentTo('m', '$3')} as number
     from messages m where person_id = person_now($1) and id = $2 and channel = 'sms' for no key update`,
    [ref.person, ref.message, ref.copy]
  );
  const message = rows[0];
  if (!message) return false;
  // That a text was taken is told when it is handed over; only what did not arrive is news.
  if (report.status !== 'undelivered') return true;
  const unknown = report.code === 'unknown-number';
  // What is told of an earlier copy says nothing about the one that is on its way.
  if (!message.earlier)
    await db.query(`update messages set state = 'bounced', trouble = $3, error = $4 where person_id = $1 and id = $2`, [
      message.person_id,
      ref.message,
      unknown ? 'mailbox' : 'full',
      report.error
    ]);
  await db.query(
    `insert into happenings (person_id, name, at, source, source_id, walk_id, journey_id, step, message_id, data, record, handled_at)
     values ($1, 'bounced', $2, 'sms', $3, $4, $5, $6, $7, $8, case when $9::boolean then 0 end, case when $9 then $2::timestamptz end)
     on conflict do nothing`,
    [
      message.person_id,
      ts(at),
      `${report.id} ${report.status} ${Math.floor(at / MINUTE)}`,
      message.walk_id,
      message.journey_id,
      message.step,
      ref.message,
      JSON.stringify({ channel: 'sms', hard: unknown, error: report.error }),
      message.elsewhere
    ]
  );
  if (message.elsewhere && unknown) await suppressEarlier(db, message.number, at);
  await notify(db, 'inbox');
  await changed(db, { people: [message.person_id], journeys: [message.journey_id], post: true });
  return true;
}

/** What became of a text that was written by hand. */
async function answerReported(
  db: Db,
  { person, answer }: { person: number; answer: number },
  report: DeliveryReport
): Promise<boolean> {
  const { rows } = await db.query<{ person_id: number }>(
    `update answers set state = case when $3 then 'failed' else state end, error = case when $3 then $4 else error end
     where person_id = person_now($1) and id = $2 returning person_id`,
    [person, answer, report.status === 'undelivered', report.error]
  );
  await changed(db, { people: rows.map((r) => r.person_id) });
  return rows.length === 1;
}
