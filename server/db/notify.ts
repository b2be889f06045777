/**
 * What processes tell each other through PostgreSQL. A message only says where
 * to look; whoever misses one finds the same by polling.
 */
import pg from 'pg';
import type { Db } from './pool.ts';

/** inbox: a happening waits; outbox: a message waits; clock: time moved; skip: a skip was asked; session: someone signed out. */
export type Topic = 'inbox' | 'outbox' | 'clock' | 'skip' | 'session';

/**
 * What pages show, by name, as they depend on it: all journeys or one, people in general or one person (`*`: many), what
 * is sent and what became of it, what is done with many at once, the clock.
 */
export type Shown =
  'journeys' | `journey:${number}` | 'people' | `person:${number | '*'}` | 'post' | 'crowds' | 'clock';

const CHANNEL = 'ambulo';
const CHANGED = 'changed ';
/** So many people are named; more are "many". PostgreSQL carries at most 8,000 bytes. */
const MOST_NAMED = 50;

const tell = (db: Db, payload: string): Promise<unknown> =>
  db.query({ name: 'notify', text: 'select pg_notify($1, $2)', values: [CHANNEL, payload] });

export async function notify(db: Db, topic: Topic): Promise<void> {
  await tell(db, topic);
}

export interface Changed {
  /** Ids of journeys whose figures differ. */
  journeys?: Iterable<number>;
  /** Ids of people of whom something differs; `many` where they are not named. */
  people?: readonly number[] | 'many';
  /** What is sent, and what became of it. */
  post?: boolean;
  /** What somebody does with many people at once. */
  crowds?: boolean;
}

/** Tells pages what of what they show has changed. */
export async function changed(db: Db, { journeys, people = [], post = false, crowds = false }: Changed): Promise<void> {
  const names: Shown[] = [...(post ? (['post'] as const) : []), ...(crowds ? (['crowds'] as const) : [])];
  const ids = [...new Set(journeys)];
  if (ids.length) names.push('journeys', ...ids.map((id): Shown => `journey:${id}`));
  if (people === 'many' || people.length > MOST_NAMED) names.push('people', 'person:*');
  else if (people.length) names.push('people', ...people.map((id): Shown => `person:${id}`));
  // Hundreds of journeys at once are told in several pieces.
  for (let i = 0; i < names.length; i += 300) await tell(db, CHANGED + names.slice(i, i + 300).join(' '));
}

/** What a notification says: a topic for those who work, or what has changed for those who show. */
export type Heard = { topic: Topic } | { changed: Shown[] };

const heardOf = (payload: string): Heard =>
  payload.startsWith(CHANGED)
    ? { changed: payload.slice(CHANGED.length).split(' ') as Shown[] }
    : { topic: payload as Topic };

/** Listens until closed, over one connection of its own that is made anew when it breaks. */
export function listen(connectionString: string, heard: (heard: Heard) => void): { close(): Promise<void> } {
  let client: pg.Client | null = null;
  let closed = false;
  const connect = async (): Promise<void> => {
    if (closed) return;
    const next = new pg.Client({ connectionString });
    client = next;
    next.on('notification', (n) => heard(heardOf(n.payload ?? '')));
    next.on('error', () => again(next));
    next.on('end', () => again(next));
    try {
      await next.connect();
      await next.query(`listen ${CHANNEL}`);
    } catch {
      again(next);
    }
  };
  const again = (broken: pg.Client): void => {
    if (closed || client !== broken) return;
    client = null;
    void broken.end().catch(() => undefined);
    setTimeout(() => void connect(), 500);
  };
  void connect();
  return {
    async close() {
      closed = true;
      await client?.end().catch(() => undefined);
    }
  };
}
