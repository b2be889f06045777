/**
 * What processes tell each other through PostgreSQL. A message only says where
 * to look; whoever misses one finds the same by polling.
 */
import pg from 'pg';
import type { Db } from './pool.ts';

/**
 * inbox: a happening waits; outbox: a message waits; clock: time moved; skip: a skip was asked; changed: figures differ;
 * session: someone signed out.
 */
export type Topic = 'inbox' | 'outbox' | 'clock' | 'skip' | 'changed' | 'session';

const CHANNEL = 'ambulo';

export async function notify(db: Db, topic: Topic): Promise<void> {
  await db.query({ name: 'notify', text: 'select pg_notify($1, $2)', values: [CHANNEL, topic] });
}

/** Listens until closed, over one connection of its own that is made anew when it breaks. */
export function listen(connectionString: string, heard: (topic: Topic) => void): { close(): Promise<void> } {
  let client: pg.Client | null = null;
  let closed = false;
  const connect = async (): Promise<void> => {
    if (closed) return;
    const next = new pg.Client({ connectionString });
    client = next;
    next.on('notification', (n) => heard(n.payload as Topic));
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
