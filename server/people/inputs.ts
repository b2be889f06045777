/** Changing people from outside: requests put into the inbox, which the workers carry out in order. */
import { now } from '../workspace/clock.ts';
import { notify } from '../db/notify.ts';
import { ts, type Db } from '../db/pool.ts';
import { requestRow, type RequestData, type RequestKind } from '../inbox/request.ts';

/** Puts the same change in for many people; gives how many of them there are. `sourceId` makes a repeat harmless. */
export function askChange(
  db: Db,
  people: number[],
  change: RequestData<'set'>,
  source: string,
  sourceId: string | null = null
): Promise<number> {
  return ask(db, people, 'set', change, source, sourceId);
}

/** Puts people into a journey by hand; gives how many of them there are. */
export function askEntry(db: Db, people: number[], journey: string, source: string): Promise<number> {
  return ask(db, people, 'enter', { journey, by: 'hand' }, source, null);
}

/** The wait that somebody stands on is over for them; gives 1, or 0 where there is nobody. */
export function askHurry(db: Db, person: number, walk: number, step: string, by: string): Promise<number> {
  return ask(db, [person], 'hurry', { walk, step, by }, by, null);
}

/** Somebody leaves a journey, by hand; gives 1, or 0 where there is nobody. */
export function askLeave(db: Db, person: number, journey: string, source: string): Promise<number> {
  return ask(db, [person], 'end', { journey }, source, null);
}

async function ask<K extends RequestKind>(
  db: Db,
  people: number[],
  kind: K,
  asked: RequestData<K>,
  source: string,
  sourceId: string | null
): Promise<number> {
  const { name, data } = requestRow(kind, asked);
  const { rowCount } = await db.query(
    `insert into happenings (person_id, name, at, source, source_id, data)
     select t.person_id, $2, $3, $4, $5, $6
     from unnest($1::bigint[]) with ordinality as t (person_id, place)
     join people p on p.id = t.person_id
     order by t.place
     on conflict do nothing`,
    [people, name, ts(await now(db)), source, sourceId, data]
  );
  await notify(db, 'inbox');
  return rowCount ?? 0;
}
