/** What somebody does with many people at once: asking for it, taking it back, and what was done lately. */
import { now } from '../workspace/clock.ts';
import { changed, notify } from '../db/notify.ts';
import { transaction, ts, type Db, type Pool } from '../db/pool.ts';
import type { Crowd } from './crowds.ts';
import { narrowed, reverse, type Change, type Selection } from '../selection/selection.ts';

/**
 * Does something with everybody of a selection; gives the crowd, or `null` where a journey that it names takes nobody in.
 * `expected`: how many that is, for the progress.
 */
export async function askChangeOf(
  db: Db,
  {
    selection,
    change,
    expected,
    by,
    undoes
  }: {
    selection: Selection;
    change: Change;
    expected: number;
    by: string;
    undoes?: number;
  }
): Promise<number | null> {
  const journey = 'journey' in change ? await journeyFor(db, change) : null;
  if ('journey' in change && !journey) return null;
  const { rows } = await db.query<{ id: number }>(
    `insert into crowds (kind, journey_id, begins_at, total, asked_by, selection, change, undoes)
     values ($1, $2, $3, $4, $5, $6, $7, $8) on conflict (undoes) do nothing returning id`,
    [
      change.act === 'enter' ? 'enter' : 'change',
      journey?.id ?? null,
      ts(await now(db)),
      Math.max(1, expected),
      by,
      // What is taken back may still be on its way to somebody: all are asked, in the order of the inbox.
      JSON.stringify(undoes === undefined ? narrowed(selection, change) : selection),
      JSON.stringify(change),
      undoes ?? null
    ]
  );
  await notify(db, 'inbox');
  await changed(db, { crowds: true });
  return rows[0]?.id ?? null;
}

/** The journey that people are put into, if it takes people in, or taken out of. */
async function journeyFor(db: Db, change: Change & { journey: string }): Promise<{ id: number } | null> {
  const { rows } = await db.query<{ id: number }>(
    `select id from journeys where key = $1 and live_version is not null and ($2 = 'end' or state = 'live')`,
    [change.journey, change.act]
  );
  return rows[0] ?? null;
}

/** Takes back what a crowd did with those it has asked, and stops it; `null` where that cannot be, or was done. */
export async function undoChange(pool: Pool, id: number, by: string): Promise<number | null> {
  return transaction(pool, async (db) => {
    const { rows } = await db.query<{ change: Change; asked: number }>(
      `update crowds set state = 'done', ended_at = coalesce(ended_at, clock_timestamp())
       where id = $1 and change ->> 'act' in ('add tag', 'remove tag', 'add list', 'remove list') and undoes is null and not exists (select from crowds u where u.undoes = $1)
       returning change, asked`,
      [id]
    );
    const [done] = rows;
    const change = done && reverse(done.change);
    if (!done || !change) return null;
    return askChangeOf(db, { selection: { asked: id }, change, expected: done.asked, by, undoes: id });
  });
}

/** What was done with many at once: under way, stopped, and the last of those that are done. */
export async function changesOfMany(db: Db): Promise<(Crowd & { undone: boolean })[]> {
  const { rows } = await db.query<Crowd & { undone: boolean }>({
    name: 'crowds-changes',
    text: `select c.id, c.kind, c.journey_id, c.version, null as people, c.begins_at, c.reached, c.asked, c.total, c.state, c.asked_by,
        c.change, c.undoes, c.problem, null as selection, exists (select from crowds u where u.undoes = c.id) as undone
      from crowds c where c.change is not null order by c.id desc limit 5`
  });
  return rows;
}
