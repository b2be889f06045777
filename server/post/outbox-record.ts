/** What becomes of a message once it was handed over, or could not be: the row's next state, and the happening it makes. */
import { createHash } from 'node:crypto';
import type { Channel } from '../../core/person/values.ts';
import { repaired } from '../../core/text/text.ts';
import { MINUTE, SECOND } from '../../core/time/duration.ts';
import { columns } from '../db/columns.ts';
import { changed, notify } from '../db/notify.ts';
import { transaction, ts, type Db, type Pool } from '../db/pool.ts';
import type { Handed } from '../mail/answer.ts';
import { noteRefusals, noteSuccess } from './channels.ts';
import { copiesOf } from '../mail/copies.ts';
import { noteTried } from './doubts.ts';
import { Counts } from '../engine/count.ts';
import { ENDED, type OutboxRow } from './outbox-rows.ts';

/** What of a row its outcome is recorded by. */
export type OutcomeRow = Pick<
  OutboxRow,
  'person_id' | 'id' | 'claim' | 'walk_id' | 'journey_id' | 'step' | 'attempts'
> & { address?: string };

export interface Outcome {
  row: OutcomeRow;
  handed: Handed | { ok: false; kind: 'filling-in' | 'too-late' | 'failed' | 'doubt'; error: string };
  /** The workspace's instant of the try, UTC ms. */
  now: number;
  practice: boolean;
}

/** Waits after the first, second, … try, in minutes: twelve tries in two days. */
const WAITS = [1, 2, 5, 15, 30, 60, 120, 240, 480, 720, 1200];
export const MOST_TRIES = WAITS.length + 1;
/** On the practice clock, which does not move meanwhile, a wait is so many seconds instead, and at most this. */
const LONGEST_PRACTICE = 60 * SECOND;

/** How long the n-th try is waited for, ms of the machine's clock: spread by up to a tenth, the same whenever it is asked. */
export function backoff(message: number, attempt: number, practice = false): number {
  const minutes = WAITS[Math.min(attempt, WAITS.length) - 1] ?? 1;
  const base = practice ? Math.min(minutes * SECOND, LONGEST_PRACTICE) : minutes * MINUTE;
  const spread = (createHash('sha256').update(`${message}/${attempt}`).digest()[0] ?? 0) / 255;
  return Math.round(base * (0.9 + 0.2 * spread));
}

type State = 'sent' | 'queued' | 'failed' | 'bounced';

/** What a row becomes. `again`: it waits for another try. */
function stateOf({ row, handed }: Outcome): State {
  if (handed.ok) return 'sent';
  switch (handed.kind) {
    case 'mailbox':
      return 'bounced';
    case 'full':
      return row.attempts < MOST_TRIES ? 'queued' : 'bounced';
    case 'temporary':
    // Refused as though nobody were there, and so were many others.
    case 'doubt':
      return row.attempts < MOST_TRIES ? 'queued' : 'failed';
    // Until it is mended, or too late.
    case 'ours':
    case 'away':
    case 'filling-in':
      return 'queued';
    case 'too-late':
    case 'withheld':
    case 'failed':
      return 'failed';
  }
}

/** SQL: a report that this copy did not arrive was here before the record that it went out. */
const EARLY = `coalesce(m.early_bounce = ${copiesOf('m')}, false)`;

/** Records outcomes of one channel, in one transaction. Outcomes of claims that somebody else has taken over are left out. */
export async function record(pool: Pool, channel: Channel, told: Outcome[]): Promise<void> {
  await transaction(pool, async (db) => recordIn(db, channel, channel === 'email' ? await doubted(db, told) : told));
}

/** Outcomes of which those are no refusals for good that came together with many others. */
async function doubted(db: Db, outcomes: Outcome[]): Promise<Outcome[]> {
  const tried = outcomes.flatMap(({ row: { address }, handed }) =>
    address !== undefined && (handed.ok || handed.kind === 'mailbox')
      ? [{ address, refused: handed.ok ? null : repaired(handed.error, 300) }]
      : []
  );
  const inDoubt = await noteTried(db, tried);
  return outcomes.map((o) =>
    !o.handed.ok && o.handed.kind === 'mailbox' && o.row.address !== undefined && inDoubt(o.row.address)
      ? { ...o, handed: { ...o.handed, kind: 'doubt' } }
      : o
  );
}

async function recordIn(db: Db, channel: Channel, outcomes: Outcome[]): Promise<void> {
  const rows = outcomes.map((outcome) => {
    const { row, handed, now, practice } = outcome;
    const state = stateOf(outcome);
    return {
      person_id: row.person_id,
      id: row.id,
      claim: row.claim,
      walk_id: row.walk_id,
      journey_id: row.journey_id,
      step: row.step,
      state,
      at: ts(now),
      sentAt: handed.ok ? ts(now) : null,
      wait: state === 'queued' ? backoff(row.id, row.attempts, practice) / 1000 : null,
      error: handed.ok ? null : repaired(handed.error, 500),
      trouble: handed.ok ? null : handed.kind
    };
  });
  const { rows: taken } = await db.query<{ id: number }>({
    name: 'record-messages',
    text: `
      update messages m
      set state = case when t.state = 'sent' and ${EARLY} then 'bounced' when t.state = 'queued' and ${ENDED} then 'failed' else t.state end, sent_at = t.sent_at,
        handed_at = case when t.sent_at is not null then clock_timestamp() end,
        error = case when t.state = 'sent' and ${EARLY} then m.error else t.error end,
        trouble = case when t.state = 'sent' and ${EARLY} then m.trouble when t.state = 'queued' and ${ENDED} then 'ended' else t.trouble end,
        early_bounce = null, not_before = clock_timestamp() + make_interval(secs => t.wait)
      from unnest($1::bigint[], $2::bigint[], $3::integer[], $4::text[], $5::timestamptz[], $6::text[], $7::text[],
        $8::double precision[]) as t (person_id, id, claim, state, sent_at, error, trouble, wait)
      where m.person_id = t.person_id and m.id = t.id and m.state = 'sending' and m.claim = t.claim
      returning m.id`,
    values: columns(rows, ['person_id', 'id', 'claim', 'state', 'sentAt', 'error', 'trouble', 'wait'])
  });
  const ours = new Set(taken.map((r) => r.id));
  const final = rows.filter((r) => r.state !== 'queued' && ours.has(r.id));
  if (final.length) {
    await db.query({
      name: 'record-handed',
      text: `
        insert into happenings (person_id, name, at, source, source_id, walk_id, journey_id, step, message_id, data)
        select person_id, name, at, 'outbox', message_id || '/' || name || '/' || claim, walk_id, journey_id, step,
          message_id, jsonb_strip_nulls(jsonb_build_object('channel', $10::text, 'error', error, 'hard', hard))
        from unnest($1::bigint[], $2::text[], $3::bigint[], $4::integer[], $5::bigint[], $6::text[], $7::text[],
          $8::boolean[], $9::timestamptz[], $11::integer[])
          as t (person_id, name, message_id, walk_id, journey_id, step, error, hard, at, claim)
        where name <> 'delivered' or exists (select from versions where hears is null or 'delivered' = any(hears))
        on conflict do nothing`,
      values: [
        ...columns(
          final.map((r) => ({
            ...r,
            name: r.state === 'sent' ? 'delivered' : r.state,
            hard: r.state === 'bounced' ? r.trouble === 'mailbox' : null
          })),
          ['person_id', 'name', 'id', 'walk_id', 'journey_id', 'step', 'error', 'hard', 'at']
        ),
        channel,
        final.map((r) => r.claim)
      ]
    });
    await notify(db, 'inbox');
  }
  // An answer about one mailbox shows that the way to it is open, as a message that went out does.
  if (rows.some((r) => r.state === 'sent' || r.trouble === 'mailbox' || r.trouble === 'full'))
    await noteSuccess(db, channel);
  const gone = rows.filter((r) => r.state === 'sent' && ours.has(r.id)).length;
  const first = outcomes[0];
  if (gone && first) {
    const counts = new Counts('UTC');
    counts.flow(first.now, `gone-${channel}`, gone);
    await counts.save(db);
  }
  const matters = rows.flatMap(({ trouble, error }) =>
    trouble === 'ours' || trouble === 'away' ? [{ is: trouble, error: error ?? '' }] : []
  );
  await noteRefusals(db, channel, matters);
  await changed(db, {
    journeys: rows.map((r) => r.journey_id),
    people: [...new Set(rows.map((r) => r.person_id))],
    post: true
  });
}

/** Notes only whether a message went out or failed, where its outcome cannot be written as it is: it is not sent twice for that. */
export async function recordBare(pool: Pool, { row, handed, now }: Outcome, error: unknown): Promise<void> {
  await pool.query(
    `update messages set state = $4, sent_at = $5, trouble = $6, error = $7, not_before = null
     where person_id = $1 and id = $2 and claim = $3 and state = 'sending'`,
    [
      row.person_id,
      row.id,
      row.claim,
      handed.ok ? 'sent' : 'failed',
      handed.ok ? ts(now) : null,
      handed.ok ? null : 'failed',
      repaired(`its outcome could not be recorded: ${(error as Error).message}`, 500)
    ]
  );
}
