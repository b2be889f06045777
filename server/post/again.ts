/** Sending messages again: those that wait for another try at once, and those that failed or bounced. */
import { now } from '../workspace/clock.ts';
import { changed, notify } from '../db/notify.ts';
import { ts, type Db } from '../db/pool.ts';
import { copiesOf } from '../mail/copies.ts';

/** Which messages: one of a person, or all of a journey (and step) that are alike. */
export type Which =
  { person: number; message: number } | { journey: string; step?: string | undefined; trouble?: string | undefined };

/** The part of a statement over `messages m` that says which; its values are $1 to $4. */
const WHICH = `
  ($1::bigint is null or m.person_id = $1) and ($2::bigint is null or m.id = $2)
  and ($3::text is null or m.journey_id = (select id from journeys where key = $3))
  and ($4::text is null or m.step = $4) and ($5::text is null or m.trouble = $5)`;
const values = (which: Which): unknown[] =>
  'person' in which
    ? [which.person, which.message, null, null, null]
    : [null, null, which.journey, which.step ?? null, which.trouble ?? null];

/** Makes messages that wait for another try due now; how many. */
export async function tryNow(db: Db, which: Which): Promise<number> {
  const { rowCount } = await db.query(
    `update messages m set not_before = null
     where m.state = 'queued' and m.not_before is not null and ${WHICH}`,
    values(which)
  );
  await notify(db, 'outbox');
  return rowCount ?? 0;
}

export interface SentAgain {
  /** Messages that go out again. */
  again: number;
  /** Those that stay as they are, because nobody may write to that address or person any more. */
  kept: number;
}

/**
 * Sends failed and bounced messages again, with the words they had, to the address their person has now. They are due from now. An
 * address that is suppressed stays so until that is lifted, and consent that was withdrawn meanwhile counts.
 */
export const sendAgain = (db: Db, which: Which, by: string): Promise<SentAgain> =>
  queueAgain(db, which, ['failed', 'bounced'], null, by);

/**
 * Sends one message that has gone out once more, because somebody asks for it. `seen`: how many copies whoever asks has seen: asked
 * twice, it is one.
 */
export const sendCopy = (
  db: Db,
  which: { person: number; message: number },
  seen: number,
  by: string
): Promise<SentAgain> => queueAgain(db, which, ['sent'], seen, by);

/** Why a message would not go out, whoever sends it again: its journey does not run. `null`: it would. */
export async function heldBack(
  db: Db,
  { person, message }: { person: number; message: number }
): Promise<string | null> {
  const { rows } = await db.query<{ name: string; state: string }>(
    `select j.name, j.state from messages m join journeys j on j.id = m.journey_id
     where m.person_id = $1 and m.id = $2 and j.state in ('paused', 'closed', 'archived')`,
    [person, message]
  );
  return rows[0] ? `“${rows[0].name}” is ${rows[0].state}, and nothing of it goes out. It was not sent again.` : null;
}

/** The messages that whoever asks has seen, but for those held back because of what their person said; states and copies are $8 and $9. */
const AS_SEEN = `m.state = any($8) and m.trouble is distinct from 'withheld' and ($9::integer is null or ${copiesOf('m')} = $9)`;

async function queueAgain(db: Db, which: Which, states: string[], seen: number | null, by: string): Promise<SentAgain> {
  const { rows } = await db.query<{ again: number; found: number }>(
    `with found as (
       select m.person_id, m.id, a.address,
         not exists (select from suppressions s where s.address = lower(a.address))
         and (m.service or exists (select from consents c where c.person_id = m.person_id and c.channel = m.channel
           and c.state = 'given')) as may
       from messages m join people p on p.id = m.person_id
       cross join lateral (select coalesce(case m.channel when 'email' then p.email else p.phone end, m.address) as address) as a
       where ${AS_SEEN} and ${WHICH}
     ), changed as (
       update messages m
       set state = 'queued', attempts = 0, not_before = null, try_at = $6, trouble = null, error = null, address = f.address,
         -- What was never taken goes under the id it had; what was handed over would be dropped as a repeat.
         copies = case when m.sent_at is null then m.copies
           else coalesce(m.copies, '[]') || jsonb_build_array(jsonb_build_object('at', $6::timestamptz, 'by', $7::text,
             'before', m.sent_at, 'was', m.address, 'to', f.address)) end
       from found f
       -- Asked of the row itself as well: of two who ask at once, the second waits for the first and then finds nothing.
       where f.may and m.person_id = f.person_id and m.id = f.id and ${AS_SEEN}
       returning 1
     )
     select (select count(*) from changed) as again, (select count(*) from found) as found`,
    [...values(which), ts(await now(db)), by, states, seen]
  );
  await notify(db, 'outbox');
  await changed(db, { people: 'person' in which ? [which.person] : 'many', post: true });
  const { again = 0, found = 0 } = rows[0] ?? {};
  return { again, kept: found - again };
}

/** Lifts what suppresses an address, by hand and with a reason, which is kept. False where it was not suppressed. */
export async function liftSuppression(db: Db, address: string, by: string, reason: string): Promise<boolean> {
  const { rowCount } = await db.query(
    `with lifted as (delete from suppressions where address = lower($1) returning address, at)
     insert into lifted_suppressions (address, at, suppressed_at, by, reason)
     select address, $2, at, $3, $4 from lifted`,
    [address, ts(await now(db)), by, reason]
  );
  await changed(db, { people: 'many', post: true });
  return rowCount === 1;
}
