/**
 * The way in for what people do with a message: opened, clicked, unsubscribed.
 * Stored first and answered at once; workers handle it. The same id twice is one.
 */
import type { Channel } from '../../core/person/values.ts';
import { PRESENT } from '../workspace/clock.ts';
import { columns } from '../db/columns.ts';
import { notify } from '../db/notify.ts';
import { againIfGone, ts, type Db } from '../db/pool.ts';
import { together } from '../db/together.ts';
import type { KeptLink } from '../mail/content.ts';
import { EARLY_SECONDS } from './early.ts';
import { addressNow } from '../mail/reachable.ts';
import { isMachine, type Fetch } from './machine.ts';
import { channelOfNumber, readToken, type Token, type TokenUse } from './token.ts';

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
  /** The present when it was looked up, UTC ms. */
  now: number;
}

const secrets = new WeakMap<Db, Buffer>();

/** The workspace's signing secret; it never changes while a process runs. */
export async function workspaceSecret(db: Db): Promise<Buffer> {
  const known = secrets.get(db);
  if (known) return known;
  const { rows } = await db.query<{ secret: Buffer }>('select secret from workspace');
  if (!rows[0]) throw new Error('the workspace is not set up: run "npm run demo"');
  const { secret } = rows[0];
  secrets.set(db, secret);
  return secret;
}

/** Looks messages up and stores what was done with them, many requests in one statement. */
interface Doors {
  find: (token: Token) => Promise<About | null>;
  store: (row: StoredRow) => Promise<void>;
  early: (row: EarlyRow) => Promise<void>;
}
interface StoredRow {
  about: About;
  name: string;
  sourceId: string;
  data: string;
}
interface EarlyRow {
  about: About;
  name: string;
  link: string | null;
  machine: boolean;
  sourceId: string;
}

const doors = new WeakMap<Db, Doors>();

function doorsOf(db: Db): Doors {
  let known = doors.get(db);
  if (!known) doors.set(db, (known = makeDoors(db)));
  return known;
}

function makeDoors(db: Db): Doors {
  return {
    find: together<Token, About | null>(async (tokens) => {
      const { rows } = await db.query<About & { place: number }>({
        name: 'messages-of-tokens',
        text: `select t.place, m.person_id, m.id, m.walk_id, m.journey_id, m.step, m.channel, m.links,
            coalesce(m.handed_at > clock_timestamp() - interval '${EARLY_SECONDS} seconds', m.state = 'sending') as early,
            (select ${PRESENT} from workspace) as now
          from unnest($1::bigint[], $2::bigint[]) with ordinality as t (person, message, place)
          join messages m on m.person_id = person_now(t.person) and m.id = t.message`,
        values: [tokens.map((t) => t.person), tokens.map((t) => t.message)]
      });
      const found = new Map(rows.map((r) => [r.place, r]));
      return tokens.map((_, i) => found.get(i + 1) ?? null);
    }),
    store: together<StoredRow, void>(async (rows) => {
      const storing = {
        name: 'store-happenings',
        text: `
          insert into happenings (person_id, name, at, source, source_id, walk_id, journey_id, step, message_id, data)
          select p.id, t.name, t.at, 'tracking',
            -- Pressed again while it holds it is the same; said anew after a yes it is not.
            source_id || case when t.name = 'unsubscribed' and exists (select from consents c
              where c.person_id = p.id and c.channel = t.data ->> 'channel' and c.state <> 'withdrawn')
              and exists (select from happenings h where h.person_id = p.id and h.source = 'tracking' and h.source_id = t.source_id)
              then '/' || (extract(epoch from clock_timestamp()) * 1000)::bigint else '' end, walk + coalesce(g.walks, 0), journey, step, message, data
          from unnest($1::bigint[], $2::text[], $3::timestamptz[], $4::text[], $5::integer[], $6::bigint[], $7::text[], $8::bigint[], $9::jsonb[])
            with ordinality as t (person, name, at, source_id, walk, journey, step, message, data, place)
          -- Since they were looked up, somebody may have been made one with another, or be gone.
          left join merged g on g.gone = t.person
          join people p on p.id = coalesce(g.person_id, t.person)
          -- In one order, as workers write them: two who withdraw at once never wait for each other in a circle.
          order by p.id, place
          on conflict do nothing`,
        values: columns(
          rows.map(({ about, ...r }) => ({
            ...r,
            person: about.person_id,
            at: ts(about.now),
            walk: about.walk_id,
            journey: about.journey_id,
            step: about.step,
            message: about.id
          })),
          ['person', 'name', 'at', 'sourceId', 'walk', 'journey', 'step', 'message', 'data']
        )
      };
      await againIfGone(() => db.query(storing));
      await notify(db, 'inbox');
      return rows.map(() => undefined);
    }),
    early: together<EarlyRow, void>(async (rows) => {
      const storing = {
        name: 'store-early-fetches',
        text: `
          insert into early_fetches (person_id, message_id, name, link, machine, source_id, at, decide_at)
          select distinct on (p.id, message, source_id) p.id, message, name, link, machine, source_id, at,
            clock_timestamp() + interval '${EARLY_SECONDS} seconds'
          from unnest($1::bigint[], $2::bigint[], $3::text[], $4::text[], $5::boolean[], $6::text[], $7::timestamptz[])
            with ordinality as t (person, message, name, link, machine, source_id, at, place)
          join people p on p.id = person_now(t.person)
          -- A loop that fetches one picture for ever is one fetch.
          where not exists (select from early_fetches e
            where e.person_id = p.id and e.message_id = t.message and e.source_id = t.source_id)
          order by p.id, message, source_id, place`,
        values: columns(
          rows.map(({ about, ...r }) => ({ ...r, person: about.person_id, message: about.id, at: ts(about.now) })),
          ['person', 'message', 'name', 'link', 'machine', 'sourceId', 'at']
        )
      };
      await againIfGone(() => db.query(storing));
      return rows.map(() => undefined);
    })
  };
}

/** The message a token is about; `null` for a token that is not ours or for a message that is gone. */
async function messageOf(db: Db, use: TokenUse, text: string): Promise<{ token: Token; about: About } | null> {
  const token = readToken(await workspaceSecret(db), use, text);
  if (!token) return null;
  const about = await doorsOf(db).find(token);
  return about && { token, about };
}

const store = (db: Db, about: About, name: string, sourceId: string, data: Record<string, unknown>): Promise<void> =>
  doorsOf(db).store({ about, name, sourceId, data: JSON.stringify({ channel: about.channel, ...data }) });

/** One fetch a minute counts, so that a reader which fetches a picture five times at once has opened once. */
const minuteId = (about: About, name: string): string => `${about.id}/${name}/${Math.floor(about.now / 60_000)}`;

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
  const sourceId = minuteId(about, machine ? `${what} by a machine` : what);
  if (about.early) return doorsOf(db).early({ about, name, link, machine, sourceId });
  const data = { ...(link === null ? {} : { link }), ...(machine || name === 'trap' ? { machine: true } : {}) };
  return store(db, about, name === 'trap' ? 'clicked' : name, sourceId, data);
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

interface Leaving {
  address: string;
  channel: Channel;
  withdrawn: boolean;
}

/** Whom an unsubscribe address is for, whatever has become of the message it came with; shown before anything is changed. */
export async function unsubscribeTarget(db: Db, text: string): Promise<Leaving | null> {
  const found = await leaving(db, text);
  if (!found) return null;
  const { person: _, ...target } = found;
  return target;
}

async function leaving(db: Db, text: string): Promise<(Leaving & { person: number }) | null> {
  const token = readToken(await workspaceSecret(db), 'unsubscribe', text);
  if (!token) return null;
  const { rows } = await db.query<Leaving & { person: number }>({
    name: 'unsubscribe-target',
    text: `
      select p.id as person, t.channel, coalesce(m.address, ${addressNow('p', 't.channel')}, '') as address,
        exists (select from consents c where c.person_id = p.id and c.channel = t.channel and c.state = 'withdrawn') as withdrawn
      from people p
      left join messages m on m.person_id = p.id and m.id = $2
      cross join lateral (select coalesce(m.channel, $3::text) as channel) as t
      where p.id = person_now($1)`,
    values: [token.person, token.message, channelOfNumber(token.number)]
  });
  return rows[0] ?? null;
}

/** What the workspace calls itself. */
export async function senderName(db: Db): Promise<string> {
  const { rows } = await db.query<{ name: string }>('select name from workspace');
  return rows[0]?.name ?? '';
}

/** Someone unsubscribed (RFC 8058 one-click, or the button of the page). False where the token is not ours. */
export async function unsubscribed(db: Db, text: string): Promise<boolean> {
  const found = await messageOf(db, 'unsubscribe', text);
  if (found) {
    await store(db, found.about, 'unsubscribed', minuteId(found.about, 'unsubscribe'), {});
    return true;
  }
  const target = await leaving(db, text);
  if (!target) return false;
  // Its message is gone, or there was none: the token names the person, and that is enough.
  const { rowCount } = await db.query({
    name: 'unsubscribe-person',
    text: `
      insert into happenings (person_id, name, at, source, source_id, data)
      select p.id, 'unsubscribed', w.at, 'tracking', 'unsubscribe/' || (extract(epoch from clock_timestamp()) * 1000)::bigint,
        jsonb_build_object('channel', $2::text)
      from people p, (select ${PRESENT} as at from workspace) as w
      where p.id = $1 and not exists (select from consents c where c.person_id = p.id and c.channel = $2 and c.state = 'withdrawn')
      on conflict do nothing`,
    values: [target.person, target.channel]
  });
  if (rowCount) await notify(db, 'inbox');
  return true;
}
