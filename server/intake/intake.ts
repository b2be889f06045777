/**
 * The one way in for what people do: opened, clicked, unsubscribed, replied.
 * Stored first and answered at once; workers handle it. The same id twice is one.
 */
import { isStopWord } from '../../core/message/sms.ts';
import { now } from '../clock/clock.ts';
import { notify } from '../db/notify.ts';
import { transaction, ts, type Db, type Pool } from '../db/pool.ts';
import type { KeptLink } from '../mail/content.ts';
import type { InboundText } from '../sms/gateway.ts';
import { readToken, type Token, type TokenUse } from './token.ts';

interface About {
  person_id: number;
  id: number;
  walk_id: number;
  journey_id: number;
  step: string;
  channel: 'email' | 'sms';
  links: KeptLink[] | null;
}

let secret: Buffer | null = null;

/** The workspace's signing secret; it never changes while a process runs. */
export async function workspaceSecret(db: Db): Promise<Buffer> {
  if (secret) return secret;
  const { rows } = await db.query<{ secret: Buffer }>('select secret from workspace');
  if (!rows[0]) throw new Error('the workspace is not set up: run "npm run demo"');
  return (secret = rows[0].secret);
}

/** The message a token is about; `null` for a token that is not ours or for a message that is gone. */
async function messageOf(db: Db, use: TokenUse, text: string): Promise<{ token: Token; about: About } | null> {
  const token = readToken(await workspaceSecret(db), use, text);
  if (!token) return null;
  const { rows } = await db.query<About>({
    name: 'message-of-token',
    text: `select person_id, id, walk_id, journey_id, step, channel, links from messages where person_id = $1 and id = $2`,
    values: [token.person, token.message]
  });
  return rows[0] ? { token, about: rows[0] } : null;
}

async function store(
  db: Db,
  about: About,
  name: string,
  sourceId: string,
  data: Record<string, unknown>
): Promise<void> {
  await db.query({
    name: 'store-happening',
    text: `
      insert into happenings (person_id, name, at, source, source_id, walk_id, journey_id, step, message_id, data)
      values ($1, $2, $3, 'tracking', $4, $5, $6, $7, $8, $9)
      on conflict do nothing`,
    values: [
      about.person_id,
      name,
      ts(await now(db)),
      sourceId,
      about.walk_id,
      about.journey_id,
      about.step,
      about.id,
      JSON.stringify({ channel: about.channel, ...data })
    ]
  });
  await notify(db, 'inbox');
}

/** One fetch a minute counts, so that a reader which fetches a picture five times at once has opened once. */
async function minuteId(db: Db, about: About, name: string): Promise<string> {
  return `${about.id}/${name}/${Math.floor((await now(db)) / 60_000)}`;
}

/** A pixel was fetched. False where the token is not ours. */
export async function opened(db: Db, token: string): Promise<boolean> {
  const found = await messageOf(db, 'open', token);
  if (!found) return false;
  await store(db, found.about, 'opened', await minuteId(db, found.about, 'open'), {});
  return true;
}

/** Whether a token is one of our pixels'. */
export async function isPixel(db: Db, token: string): Promise<boolean> {
  return (await messageOf(db, 'open', token)) !== null;
}

/** Where a link leads; `null` where the token is not ours. Counts nothing. */
export async function targetOf(db: Db, token: string): Promise<string | null> {
  const found = await messageOf(db, 'link', token);
  return found && linkOf(found.about, found.token.number);
}

/** A link was followed: where it leads, which is only ever where the message's own link led. */
export async function clicked(db: Db, token: string): Promise<string | null> {
  const found = await messageOf(db, 'link', token);
  if (!found) return null;
  const { about, token: t } = found;
  const target = linkOf(about, t.number);
  if (!target) return null;
  await store(db, about, 'clicked', await minuteId(db, about, `link${t.number}`), { link: target });
  return target;
}

/** The n-th of the distinct links of a message, as it was sent. */
function linkOf({ links }: About, number: number): string | null {
  const link = [...new Set((links ?? []).map(([url]) => url))][number - 1];
  return link && /^https?:\/\//i.test(link) ? link : null;
}

/** Whom an unsubscribe address is for; shown before anything is changed. */
export async function unsubscribeTarget(
  db: Db,
  token: string
): Promise<{ address: string; channel: 'email' | 'sms'; withdrawn: boolean } | null> {
  const found = await messageOf(db, 'unsubscribe', token);
  if (!found) return null;
  const { rows } = await db.query<{ address: string; withdrawn: boolean }>(
    `select m.address, exists (
        select from happenings h
        where h.person_id = m.person_id and h.name = 'unsubscribed' and h.data ->> 'channel' = m.channel
          and not exists (select from consents c where c.person_id = m.person_id and c.channel = m.channel
            and c.state = 'given' and c.at > h.at)) as withdrawn
     from messages m where m.person_id = $1 and m.id = $2`,
    [found.about.person_id, found.about.id]
  );
  return rows[0] ? { ...rows[0], channel: found.about.channel } : null;
}

/** What the workspace calls itself. */
export async function senderName(db: Db): Promise<string> {
  const { rows } = await db.query<{ name: string }>('select name from workspace');
  return rows[0]?.name ?? '';
}

/** Someone unsubscribed (RFC 8058 one-click, or the button of the page). False where the token is not ours. */
export async function unsubscribed(db: Db, token: string): Promise<boolean> {
  const found = await messageOf(db, 'unsubscribe', token);
  if (!found) return false;
  await store(db, found.about, 'unsubscribed', await minuteId(db, found.about, 'unsubscribe'), {});
  return true;
}

/** A text came in. `stray`: from a number nobody here has; kept aside. */
export async function receivedText(pool: Pool, inbound: InboundText): Promise<'taken' | 'stray'> {
  return transaction(pool, async (db) => {
    const at = ts(await now(db));
    const person = await db.query<{ id: number }>('select id from people where phone = $1', [inbound.from]);
    const id = person.rows[0]?.id;
    if (id === undefined) {
      await db.query(
        'insert into stray_texts (source_id, sender, body, at) values ($1, $2, $3, $4) on conflict do nothing',
        [inbound.id, inbound.from, inbound.text, at]
      );
      return 'stray';
    }
    const stop = isStopWord(inbound.text);
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
      [id, stop ? 'unsubscribed' : 'replied', at, inbound.id, JSON.stringify({ channel: 'sms', text: inbound.text })]
    );
    await notify(db, 'inbox');
    return 'taken';
  });
}
