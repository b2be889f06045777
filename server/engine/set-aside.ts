/**
 * People whose work cannot be done: an error in it, or a value the database
 * refuses. They are set aside with what happened, and tried again alone, later
 * each time, so that one person never stops the others. By the machine's clock.
 */
import { nameSql } from '../db/person-name.ts';
import { repaired } from '../../core/text/text.ts';
import { columns } from '../db/columns.ts';
import { now } from '../workspace/clock.ts';
import { changed, notify } from '../db/notify.ts';
import { transaction, ts, type Db, type Pool } from '../db/pool.ts';

export interface Failure {
  person: number;
  error: unknown;
}

/** The next try after so many earlier attempts: in 1, 2, 4, … minutes, at most 6 hours. */
const after = (attempts: string): string =>
  `clock_timestamp() + make_interval(mins => least(2 ^ least(${attempts}, 9), 360)::integer)`;

/** Sets people aside, or notes that they failed again. */
export async function setAside(db: Db, failures: Failure[]): Promise<void> {
  if (!failures.length) return;
  const rows = failures.map(({ person, error }) => ({
    person,
    error: repaired(error instanceof Error ? error.message : String(error), 500),
    stack: error instanceof Error && error.stack ? repaired(error.stack, 4000) : null
  }));
  await db.query({
    name: 'set-aside',
    text: `
      insert into set_aside as s (person_id, error, stack, attempts, next_try)
      select person_id, error, stack, 1, ${after('0')}
      from unnest($1::bigint[], $2::text[], $3::text[]) as t (person_id, error, stack)
      order by person_id
      on conflict (person_id) do update
      set error = excluded.error, stack = excluded.stack, attempts = s.attempts + 1, next_try = ${after('s.attempts')}`,
    values: columns(rows, ['person', 'error', 'stack'])
  });
}

/** Whether someone's next try has come: asked before each, because as a rule nobody's has. */
export async function isAnyoneDue(db: Db): Promise<boolean> {
  const { rows } = await db.query<{ due: boolean }>({
    name: 'is-anyone-due',
    text: 'select exists (select from set_aside where next_try <= clock_timestamp()) as due'
  });
  return rows[0]?.due ?? false;
}

/** Takes people back whose work was done. */
export async function takeBack(db: Db, people: number[]): Promise<void> {
  if (!people.length) return;
  await db.query({
    name: 'take-back',
    text: 'delete from set_aside where person_id = any($1::bigint[])',
    values: [people]
  });
}

/** Makes the next try of some people due now; of all of them where none are named. How many there were. */
export async function tryAgain(db: Db, people: number[] | null): Promise<number> {
  const { rowCount } = await db.query(
    'update set_aside set next_try = clock_timestamp() where $1::bigint[] is null or person_id = any($1::bigint[])',
    [people]
  );
  await notify(db, 'inbox');
  return rowCount ?? 0;
}

export interface AsideLine {
  person: number;
  name: string;
  error: string;
  attempts: number;
  /** UTC ms of the machine's clock. */
  nextTry: number;
}

/** Those set aside, alike ones together: what happened, how many, and the first of them. */
export async function whoIsAside(db: Db): Promise<(AsideLine & { people: number })[]> {
  const { rows } = await db.query<AsideLine & { people: number }>({
    name: 'who-is-aside',
    text: `
      select a.error, count(*) as people, max(a.attempts) as attempts, min(a.next_try) as "nextTry",
        min(a.person_id) as person,
        (array_agg(${nameSql()} order by p.id))[1] as name
      from (select * from set_aside order by next_try limit 10000) a
      join people p on p.id = a.person_id
      group by a.error
      order by 2 desc
      limit 20`
  });
  return rows;
}

/** What waits first for somebody who is set aside, and makes their work fail, where it is something that was asked for. */
export interface Jamming {
  id: number;
  name: string;
  source: string;
  /** JSON, as it was asked for. */
  asked: string;
}

/** SQL: the first request that waits for a person `a.person_id`, as {@link Jamming}; null where that is nothing that was asked for. */
export const JAMMING = `(select case when h.name = any(array['set', 'enter', 'existing', 'look', 'move', 'end', 'hurry', 'resumed'])
    then jsonb_build_object('id', h.id, 'name', h.name, 'source', h.source, 'asked', left(h.data::text, 1000)) end
  from happenings h where h.person_id = a.person_id and h.handled_at is null order by h.id limit 1)`;

/**
 * Drops the request that makes somebody's work fail: it is not carried out, and stays on their record, as a note. Only what was
 * asked for can be dropped, never what happened: a withdrawal least of all. False where it is not there any more.
 */
export async function dropRequest(pool: Pool, person: number, id: number, by: string): Promise<boolean> {
  return transaction(pool, async (db) => {
    await db.query('select from people where id = $1 for no key update', [person]);
    const { rows } = await db.query<{ jamming: Jamming | null }>(
      `select ${JAMMING} as jamming from set_aside a where a.person_id = $1`,
      [person]
    );
    const jamming = rows[0]?.jamming;
    if (jamming?.id !== id) return false;
    const at = ts(await now(db));
    await db.query(
      `update happenings set handled_at = $3, record = 0, data = data || jsonb_build_object('dropped', $4::text) where person_id = $1 and id = $2`,
      [person, id, at, by]
    );
    await db.query('insert into person_notes (person_id, at, by, words) values ($1, $2, $3, $4)', [
      person,
      at,
      by,
      `Dropped, because their work failed for it: ${jamming.name} by ${jamming.source}, ${jamming.asked}`.slice(0, 2000)
    ]);
    await tryAgain(db, [person]);
    await changed(db, { people: [person], post: true });
    return true;
  });
}
