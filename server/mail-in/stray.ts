/** Mail about nobody here, or that could not be read: kept for whoever looks, so many of it and for so long. */
import { repaired } from '../../core/text/text.ts';
import { now } from '../workspace/clock.ts';
import { changed } from '../db/notify.ts';
import { ts, type Db } from '../db/pool.ts';
import type { Envelope } from './classify.ts';

/** A flood of them is no archive: the latest are kept, for a quarter of a year. */
const MOST_KEPT = 10_000;
const KEPT_FOR = '90 days';
const MOST_TEXT = 20_000;

/** Keeps a mail aside. `id`: of the mail, so that the same is kept once. */
export async function keepStray(
  db: Db,
  id: string,
  envelope: Envelope,
  { subject, text, why }: { subject: string; text: string; why: string }
): Promise<void> {
  const at = ts(await now(db));
  const { rows } = await db.query<{ id: number }>(
    `insert into stray_mails (source_id, sender, recipient, subject, body, why, at)
     values ($1, $2, $3, $4, $5, $6, $7) on conflict do nothing returning id`,
    [
      id,
      repaired(envelope.from, 320),
      repaired(envelope.to.join(', '), 1000),
      repaired(subject, 300),
      repaired(text, MOST_TEXT),
      repaired(why, 300),
      at
    ]
  );
  if (!rows[0]) return;
  await db.query(`delete from stray_mails where id <= $1 or at < $2::timestamptz - interval '${KEPT_FOR}'`, [
    rows[0].id - MOST_KEPT,
    at
  ]);
  await changed(db, { post: true });
}
