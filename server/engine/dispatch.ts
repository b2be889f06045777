/**
 * The outbox: claims messages under a lease, renders, sends, records. A sender
 * that dies in the middle lets its lease run out; the message is then sent
 * again with the same id, so it is never lost and a repeat can be recognised.
 */
import { createHash } from 'node:crypto';
import type { Journey } from '../../core/journey/schema.ts';
import { MINUTE } from '../../core/time/duration.ts';
import { readClock } from '../clock/clock.ts';
import { columns } from '../db/columns.ts';
import { notify } from '../db/notify.ts';
import { transaction, ts, type Db, type Pool } from '../db/pool.ts';
import { renderEmail, renderSms, type RenderContext } from '../mail/render.ts';
import type { Handed, Mailer } from '../mail/smtp.ts';
import { sendSms } from '../sms/gateway.ts';
import type { PlanBook } from './plans.ts';

export interface Post {
  mailer: Mailer;
  smsUrl: string;
  smsFrom: string;
  mailFrom: string;
  mailDomain: string;
  base: string;
  secret: Buffer;
}

interface Row {
  person_id: number;
  id: number;
  walk_id: number;
  journey_id: number;
  version: number;
  step: string;
  visit: number;
  channel: 'email' | 'sms';
  address: string;
  attempts: number;
  fields: Record<string, unknown>;
}

interface Outcome {
  row: Row;
  handed: Handed;
  subject: string | null;
  body: string | null;
  messageId: string;
}

// Longer than a whole claim takes when every connection hangs until it times out.
const LEASE_SECONDS = 180;
/** After this many tries a message has failed. With the waits below that is about two days. */
const MOST_TRIES = 12;
/** Messages handed over side by side. */
const SIDE_BY_SIDE = 12;

/** Sends up to `most` messages that are due; how many were taken. */
export async function dispatch(pool: Pool, plans: PlanBook, post: Post, most = 60): Promise<number> {
  const { now } = await readClock(pool);
  const rows = await claim(pool, now, most);
  if (!rows.length) return 0;
  await plans.ensure(pool, rows);
  const outcomes: Outcome[] = [];
  const waiting = [...rows];
  await Promise.all(
    Array.from({ length: Math.min(SIDE_BY_SIDE, rows.length) }, async () => {
      for (let row = waiting.shift(); row; row = waiting.shift()) outcomes.push(await handOver(row, plans, post, now));
    })
  );
  await record(pool, outcomes, now);
  return rows.length;
}

async function claim(db: Db, now: number, most: number): Promise<Row[]> {
  const { rows } = await db.query<Row>({
    name: 'claim-messages',
    text: `
      with due as (
        select person_id, id
        from messages
        where state in ('queued', 'sending') and try_at <= $1 and (lease_until is null or lease_until < now())
        order by try_at
        limit $2
        for update skip locked
      )
      update messages m
      set state = 'sending', attempts = m.attempts + 1, lease_until = now() + make_interval(secs => ${LEASE_SECONDS})
      from due, people p
      where m.person_id = due.person_id and m.id = due.id and p.id = m.person_id
      returning m.person_id, m.id, m.walk_id, m.journey_id, m.version, m.step, m.visit, m.channel, m.address, m.attempts,
        p.fields || jsonb_strip_nulls(jsonb_build_object('email', p.email, 'phone', p.phone, 'first_name', p.first_name,
          'last_name', p.last_name, 'zone', p.zone)) as fields`,
    values: [ts(now), most]
  });
  return rows;
}

/** The same for every try of one outbox row, and for no other row. */
export function messageKey(row: Pick<Row, 'person_id' | 'walk_id' | 'step' | 'visit'>): string {
  return `${row.person_id}.${row.walk_id}.${row.step}.${row.visit}`;
}

async function handOver(row: Row, plans: PlanBook, post: Post, now: number): Promise<Outcome> {
  const key = messageKey(row);
  const messageId = `<${key}@${post.mailDomain}>`;
  const outcome = { row, subject: null, body: null, messageId };
  const plan = plans.plan(row.journey_id, row.version);
  const step = plan.byKey.get(row.step)?.step;
  const recipient = { person: row.person_id, message: row.id, fields: row.fields };
  const context: RenderContext = {
    base: post.base,
    secret: post.secret,
    journeyName: nameOf(plan.document),
    sender: senderName(post.mailFrom)
  };
  try {
    if (step?.kind === 'email') {
      const mail = renderEmail(step, recipient, context);
      const handed = await post.mailer.send({
        ...mail,
        from: post.mailFrom,
        to: row.address,
        messageId,
        returnPath: `bounce+${key}@${post.mailDomain}`,
        date: now
      });
      return { ...outcome, handed, subject: mail.subject, body: mail.text };
    }
    if (step?.kind === 'sms') {
      const { text } = renderSms(step, recipient, context);
      const handed = await sendSms(post.smsUrl, { id: key, from: post.smsFrom, to: row.address, text, at: now });
      return { ...outcome, handed, body: text };
    }
    return {
      ...outcome,
      handed: { ok: false, kind: 'failed', error: `the step ${row.step} sends nothing in version ${row.version}` }
    };
  } catch (error) {
    // Nothing but filling in throws: a template that cannot be filled in for this person.
    return {
      ...outcome,
      handed: { ok: false, kind: 'failed', error: `cannot be filled in: ${(error as Error).message}` }
    };
  }
}

function nameOf(document: Journey): string {
  return document.name ?? document.key;
}

function senderName(from: string): string {
  return /^"?([^"<]+?)"?\s*</.exec(from)?.[1] ?? from;
}

/** 1, 2, 4, … minutes, at most 6 hours, each moved by up to a fifth: spread, yet the same whenever it is asked. */
export function backoff(messageId: string, attempt: number): number {
  const base = Math.min(2 ** (attempt - 1), 360) * MINUTE;
  const spread = (createHash('sha256').update(`${messageId}/${attempt}`).digest()[0] ?? 0) / 255;
  return Math.round(base * (0.9 + 0.2 * spread));
}

async function record(pool: Pool, outcomes: Outcome[], now: number): Promise<void> {
  const rows = outcomes.map(({ row, handed, subject, body, messageId }) => {
    const again = !handed.ok && handed.kind === 'temporary' && row.attempts < MOST_TRIES;
    const state = handed.ok ? 'sent' : again ? 'queued' : handed.kind === 'bounced' ? 'bounced' : 'failed';
    return {
      ...row,
      state,
      tryAt: ts(again ? now + backoff(messageId, row.attempts) : now),
      sentAt: handed.ok ? ts(now) : null,
      subject,
      body,
      error: handed.ok ? null : handed.error
    };
  });
  await transaction(pool, async (db) => {
    await db.query({
      name: 'record-messages',
      text: `
        update messages m
        set state = t.state, try_at = t.try_at, sent_at = t.sent_at, subject = coalesce(t.subject, m.subject),
          body = coalesce(t.body, m.body), error = t.error, lease_until = null
        from unnest($1::bigint[], $2::bigint[], $3::text[], $4::timestamptz[], $5::timestamptz[], $6::text[], $7::text[],
          $8::text[], $9::integer[]) as t (person_id, id, state, try_at, sent_at, subject, body, error, attempts)
        where m.person_id = t.person_id and m.id = t.id and m.state = 'sending' and m.attempts = t.attempts`,
      values: columns(rows, ['person_id', 'id', 'state', 'tryAt', 'sentAt', 'subject', 'body', 'error', 'attempts'])
    });
    const final = rows.filter((r) => r.state !== 'queued');
    await db.query({
      name: 'record-handed',
      text: `
        insert into happenings (person_id, name, at, source, source_id, walk_id, journey_id, step, message_id, data)
        select person_id, name, $9, 'outbox', message_id || '/' || name, walk_id, journey_id, step, message_id, data
        from unnest($1::bigint[], $2::text[], $3::bigint[], $4::integer[], $5::bigint[], $6::text[], $7::text[], $8::text[])
          as t (person_id, name, message_id, walk_id, journey_id, step, channel, error),
          lateral (select jsonb_strip_nulls(jsonb_build_object('channel', channel, 'error', error,
            'hard', case name when 'bounced' then true end)) as data) d
        on conflict do nothing`,
      values: [
        ...columns(
          final.map((r) => ({ ...r, name: r.state === 'sent' ? 'delivered' : r.state })),
          ['person_id', 'name', 'id', 'walk_id', 'journey_id', 'step', 'channel', 'error']
        ),
        ts(now)
      ]
    });
    await notify(db, 'inbox');
    await notify(db, 'changed');
  });
}
