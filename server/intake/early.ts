/** What is fetched within seconds of delivery waits until they are over, and is decided on together, message by message. */
import { notify } from '../db/notify.ts';
import { transaction, type Db, type Pool } from '../db/pool.ts';
import type { KeptLink } from '../mail/content.ts';
import { isScanned, type Early } from './machine.ts';

/** So long after it was handed over, what is fetched of a message is looked at together, in seconds of the machine's clock. */
export const EARLY_SECONDS = 10;
/** Messages decided on at once. */
const AT_ONCE = 200;

interface Row extends Early {
  id: number;
  person_id: number;
  message_id: number;
  links: KeptLink[] | null;
}

/**
 * Decides on the fetches whose seconds are over, or on all: then the clock is about to be moved on, and whatever a scanner
 * does it has done. How many were decided on.
 */
export async function decideEarly(pool: Pool, all = false): Promise<number> {
  if (!(await anyEarly(pool, all))) return 0;
  return transaction(pool, async (db) => {
    const { rows } = await db.query<Row>({
      name: 'early-fetches',
      text: `
        with due as (
          select distinct person_id, message_id from early_fetches
          where $1::boolean or decide_at <= clock_timestamp() limit ${AT_ONCE}
        )
        select e.id, e.person_id, e.message_id, e.name, e.link, e.machine, m.links
        from due
        join early_fetches e on e.person_id = due.person_id and e.message_id = due.message_id
        left join messages m on m.person_id = e.person_id and m.id = e.message_id
        order by e.id
        for update of e skip locked`,
      values: [all]
    });
    const byMessage = new Map<string, Row[]>();
    for (const r of rows) {
      const key = `${r.person_id}/${r.message_id}`;
      byMessage.set(key, [...(byMessage.get(key) ?? []), r]);
    }
    const scanned = new Set(
      [...byMessage].flatMap(([key, fetches]) =>
        isScanned(fetches, new Set((fetches[0]?.links ?? []).map(([url]) => url)).size) ? [key] : []
      )
    );
    const decided = rows.map((r) => ({
      id: r.id,
      machine: r.machine || scanned.has(`${r.person_id}/${r.message_id}`)
    }));
    await db.query({
      name: 'store-early',
      text: `
        with gone as (
          delete from early_fetches e using unnest($1::bigint[], $2::boolean[]) as t (id, machine)
          where e.id = t.id
          returning e.*, t.machine as decided
        )
        insert into happenings (person_id, name, at, source, source_id, walk_id, journey_id, step, message_id, data)
        select g.person_id, case g.name when 'trap' then 'clicked' else g.name end, g.at, 'tracking',
          -- A reader who does the same in this minute does something else than the machine did.
          g.source_id || case when g.decided and not g.machine then ' by a machine' else '' end, m.walk_id,
          m.journey_id, m.step, m.id,
          jsonb_strip_nulls(jsonb_build_object('channel', m.channel, 'link', g.link, 'machine', nullif(g.decided, false)))
        from gone g join messages m on m.person_id = g.person_id and m.id = g.message_id
        order by g.id
        on conflict do nothing`,
      values: [decided.map((d) => d.id), decided.map((d) => d.machine)]
    });
    await notify(db, 'inbox');
    return rows.length;
  });
}

async function anyEarly(db: Db, all: boolean): Promise<boolean> {
  const { rows } = await db.query<{ any: boolean }>({
    name: 'any-early',
    text: 'select exists (select from early_fetches where $1::boolean or decide_at <= clock_timestamp()) as any',
    values: [all]
  });
  return rows[0]?.any ?? false;
}
