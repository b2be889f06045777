/** Rows of the outbox: claiming them under a lease, keeping what they say, holding the lease. */
import { allFields } from '../engine/all-fields.ts';
import type { Happening } from '../../core/person/happening.ts';
import type { Channel } from '../../core/person/values.ts';
import { columns } from '../db/columns.ts';
import { ts, type Db } from '../db/pool.ts';
import type { KeptLink } from '../mail/content.ts';
import { copiesOf } from '../mail/copies.ts';
import { LEASE } from './leases.ts';
import { addressNow } from '../mail/reachable.ts';
import { barredSql, type Barred } from './may-go.ts';
import type { MessageRef } from '../mail/message-id.ts';

export interface OutboxRow {
  person_id: number;
  /** The number of the person under which it goes out: every try has the same id. */
  known_as: number;
  id: number;
  walk_id: number;
  journey_id: number;
  version: number;
  step: string;
  channel: Channel;
  /** Where it goes: the address they had when it was claimed. */
  address: string;
  /** Why it does not go out any more, where it does not. */
  barred: Barred | null;
  /** When it was due, UTC ms. */
  try_at: number;
  /** Tries that count against it, this one included. */
  attempts: number;
  /** Which claim this is: nobody else records for it. */
  claim: number;
  error: string | null;
  /** How often it was sent once more by hand. */
  copy: number;
  /** What it says, once it was filled in. */
  subject: string | null;
  preview: string | null;
  body: string | null;
  links: KeptLink[] | null;
  fields: Record<string, unknown>;
  /** What began the walk, where it is remembered. */
  entry: Happening | null;
  /** The person's owner, where they have one: who writes to them. */
  owner: string | null;
  /** The earlier message of the walk that it answers. */
  answers: MessageRef | null;
}

/** A hundred years: as long as for ever. */
const MOST_SECONDS = 3_200_000_000;

/** Of messages: their journey is neither paused nor ended. */
export const NOT_PAUSED = `not exists (select from journeys j where j.id = messages.journey_id and j.state in ('paused', 'closed', 'archived'))`;

/**
 * Claims messages of a channel that are due: those whose wait or lease is over, then new ones. A lease that ran out
 * counts only once the database has been there for `grace` seconds: a sender that waited for it comes first, and records.
 * Infinite: none counts. `not`: ids of those in hand, whose lease may have run out while the database was away. Each has the
 * address its person has now, and says whether it may go at all.
 */
export async function claimMessages(
  db: Db,
  channel: Channel,
  now: number,
  { most, grace, not }: { most: number; grace: number; not: readonly number[] }
): Promise<OutboxRow[]> {
  const { rows } = await db.query<OutboxRow>({
    name: 'claim-messages',
    text: `
      with waiting as (
        select person_id, id
        from messages
        where channel = $1 and state in ('queued', 'sending') and not_before is not null
          and not_before <= clock_timestamp() and try_at <= $2 and ${NOT_PAUSED}
          and (state = 'queued' or pg_postmaster_start_time() <= clock_timestamp() - make_interval(secs => $4))
          and id <> all($5::bigint[])
        order by not_before
        limit $3
        for update skip locked
      ), fresh as (
        select person_id, id
        from messages
        where channel = $1 and state in ('queued', 'sending') and not_before is null and try_at <= $2
          and ${NOT_PAUSED}
        order by try_at
        limit greatest($3 - (select count(*) from waiting), 0)
        for update skip locked
      ), due as (
        select * from waiting union all select * from fresh
      )
      update messages m
      set state = 'sending', attempts = m.attempts + 1, claim = m.claim + 1, not_before = ${LEASE},
        address = coalesce(a.address, m.address),
        copies = case when m.copies is null or a.address is null then m.copies
          else jsonb_set(m.copies, '{-1,to}', to_jsonb(a.address)) end
      from due
      join people p on p.id = due.person_id
      join messages own on own.person_id = due.person_id and own.id = due.id
      cross join lateral (select ${addressNow('p', 'own.channel')} as address) as a
      left join walks w on w.person_id = own.person_id and w.id = own.walk_id
      where m.person_id = due.person_id and m.id = due.id
      returning m.person_id, coalesce(m.known_as, m.person_id) as known_as, m.id, m.walk_id, m.journey_id, m.version, m.step, m.channel, m.address, m.try_at, m.attempts,
        m.claim, m.error, ${barredSql('own', 'a.address')} as barred, ${copiesOf('m')} as copy, m.subject, m.preview, m.body, m.links,
        ${allFields('p')} as fields, w.more -> 'entry' as entry,
        (select u.name from users u where u.email = lower(p.fields ->> 'owner')) as owner,
        (select jsonb_build_object('person', coalesce(e.known_as, e.person_id), 'message', e.id, 'copy', ${copiesOf('e')}) from messages e
          where e.person_id = m.person_id and e.walk_id = m.walk_id and e.step = own.thread and e.state = 'sent'
          order by e.id desc limit 1) as answers`,
    values: [channel, ts(now), most, Math.min(grace, MOST_SECONDS), not]
  });
  return rows;
}

/** Keeps what messages say, before they go out for the first time. */
export async function keepContents(
  db: Db,
  rows: {
    person_id: number;
    id: number;
    claim: number;
    subject: string | null;
    preview: string | null;
    body: string;
    links: KeptLink[];
  }[]
): Promise<void> {
  await db.query({
    name: 'keep-contents',
    text: `
      update messages m
      set subject = t.subject, preview = nullif(t.preview, ''), body = t.body, links = nullif(t.links, '[]')
      from unnest($1::bigint[], $2::bigint[], $3::integer[], $4::text[], $5::text[], $6::text[], $7::jsonb[])
        as t (person_id, id, claim, subject, preview, body, links)
      where m.person_id = t.person_id and m.id = t.id and m.claim = t.claim`,
    values: columns(
      rows.map((r) => ({ ...r, links: JSON.stringify(r.links) })),
      ['person_id', 'id', 'claim', 'subject', 'preview', 'body', 'links']
    )
  });
}

/** SQL: the journey of a message `m` was ended: what waits does not go out any more. */
export const ENDED = `exists (select from journeys j where j.id = m.journey_id and j.state in ('closed', 'archived'))`;

/** Puts claims back, untried, for so many seconds. */
export async function putBack(db: Db, later: { row: OutboxRow; seconds: number }[]): Promise<void> {
  await db.query({
    name: 'put-back',
    text: `
      update messages m
      set state = case when ${ENDED} then 'failed' else 'queued' end, trouble = case when ${ENDED} then 'ended' else m.trouble end,
        error = case when ${ENDED} then 'the journey was ended before it went out' else m.error end,
        attempts = m.attempts - 1, not_before = clock_timestamp() + make_interval(secs => t.seconds)
      from unnest($1::bigint[], $2::bigint[], $3::integer[], $4::double precision[]) as t (person_id, id, claim, seconds)
      where m.person_id = t.person_id and m.id = t.id and m.claim = t.claim and m.state = 'sending'`,
    values: columns(
      later.map(({ row, seconds }) => ({ ...row, seconds })),
      ['person_id', 'id', 'claim', 'seconds']
    )
  });
}
