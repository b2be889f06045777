/** Answering somebody by text, by hand: whom one may answer, and the text put on its way. */
import { now } from '../workspace/clock.ts';
import { changed, notify } from '../db/notify.ts';
import { ts, type Db } from '../db/pool.ts';
import type { Changed } from './by-hand.ts';

/** Three parts of a text. */
export const LONGEST_ANSWER = 480;

/** Why nobody may answer this person by text now; `null` where one may. */
export async function cannotAnswer(db: Db, person: number): Promise<string | null> {
  const { rows } = await db.query<{ phone: string | null; state: string | null; wrote: boolean; suppressed: boolean }>(
    `select p.phone, c.state, exists (select from happenings h where h.person_id = p.id and h.name = 'replied'
         and h.data ->> 'channel' = 'sms') as wrote,
       exists (select from suppressions s where s.address = p.phone) as suppressed
     from people p left join consents c on c.person_id = p.id and c.channel = 'sms' where p.id = $1`,
    [person]
  );
  const [row] = rows;
  if (!row) return 'There is no such person.';
  if (!row.phone) return 'They have no phone number.';
  if (row.suppressed) return 'Nobody may write to this number: it is suppressed.';
  if (row.state === 'withdrawn') return 'They said that they want no texts.';
  // Whoever wrote to us may be answered.
  return row.state === 'given' || row.wrote ? null : 'They gave no consent for texts, and wrote none.';
}

/** Puts a text on its way. `once`: of the page that asks, so that a repeat is one. */
export async function answerByText(
  db: Db,
  person: number,
  { words, once }: { words: string; once: string },
  by: string
): Promise<Changed> {
  const problem = await cannotAnswer(db, person);
  if (problem !== null) return { ok: false, problem };
  await db.query(
    `insert into answers (person_id, once, address, body, by, at) select id, $2, phone, $3, $4, $5 from people where id = $1
     on conflict (once) do nothing`,
    [person, once, words, by, ts(await now(db))]
  );
  await notify(db, 'outbox');
  await changed(db, { people: [person] });
  return { ok: true };
}
