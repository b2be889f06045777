/**
 * The way in for what people do with a message: opened, clicked, unsubscribed.
 * Stored first and answered at once; workers handle it. The same id twice is one.
 */
import { now } from '../clock/clock.ts';
import { notify } from '../db/notify.ts';
import { ts, type Db } from '../db/pool.ts';
import type { KeptLink } from '../mail/content.ts';
import { EARLY_SECONDS } from './early.ts';
import { isMachine, type Fetch } from './machine.ts';
import { readToken, type Token, type TokenUse } from './token.ts';

interface About {
  person_id: number;
  id: number;
  walk_id: number;
  journey_id: number;
  step: string;
  channel: 'email' | 'sms';
  links: KeptLink[] | null;
  /** Whether it was handed over only seconds ago. */
  early: boolean;
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
    text: `select person_id, id, walk_id, journey_id, step, channel, links,
        coalesce(handed_at > clock_timestamp() - interval '${EARLY_SECONDS} seconds', state = 'sending') as early
      from messages where person_id = $1 and id = $2`,
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

/**
 * Something of a message was fetched. Within seconds of handing it over nobody can say yet whether by a reader or by a
 * scanner: then it waits a moment. What a machine fetches and what a reader does in the same minute are two things.
 */
async function fetched(
  db: Db,
  about: About,
  name: 'opened' | 'clicked' | 'trap',
  what: string,
  link: string | null,
  machine: boolean
): Promise<void> {
  const id = await minuteId(db, about, machine ? `${what} by a machine` : what);
  if (!about.early) {
    const data = { ...(link === null ? {} : { link }), ...(machine || name === 'trap' ? { machine: true } : {}) };
    return store(db, about, name === 'trap' ? 'clicked' : name, id, data);
  }
  await db.query({
    name: 'store-early-fetch',
    text: `
      insert into early_fetches (person_id, message_id, name, link, machine, source_id, at, decide_at)
      select $1, $2, $3, $4, $5, $6, $7, clock_timestamp() + interval '${EARLY_SECONDS} seconds'
      -- A loop that fetches one picture for ever is one fetch.
      where not exists (select from early_fetches where person_id = $1 and message_id = $2 and source_id = $6)`,
    values: [about.person_id, about.id, name, link, machine, id, ts(await now(db))]
  });
}

/** A pixel was fetched. False where the token is not ours. */
export async function opened(db: Db, token: string, by: Fetch): Promise<boolean> {
  const found = await messageOf(db, 'open', token);
  if (!found) return false;
  await fetched(db, found.about, 'opened', 'open', null, isMachine(by, 'opened'));
  return true;
}

/** The number of the link that no person can see, among the links of a message. */
export const TRAP = 0;

/** A link was followed: where it leads, which is only ever where the message's own link led. */
export async function clicked(db: Db, token: string, by: Fetch): Promise<string | null> {
  const found = await messageOf(db, 'link', token);
  if (!found) return null;
  const { about, token: t } = found;
  if (t.number === TRAP) {
    await fetched(db, about, 'trap', 'trap', null, true);
    return '/';
  }
  const target = linkOf(about, t.number);
  if (!target) return null;
  await fetched(db, about, 'clicked', `link${t.number}`, target, isMachine(by, 'clicked'));
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
