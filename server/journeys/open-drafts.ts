/** Who has a draft open, and where: told by each open sheet every few seconds, forgotten a little after it ends. */
import type { Db } from '../db/pool.ts';

/** Whoever has not been heard of for so long has gone. */
const GONE_AFTER = '25 seconds';
/** Windows of one draft that are remembered: a program that opens more learns of no others. */
const MOST = 50;

export interface Other {
  name: string;
  /** Key of the step they have selected; `null`: none. */
  step: string | null;
}

/** Says that a draft is open here; gives the others who have it open, and how often it has been saved. `null`: no such journey. */
export async function hereToo(
  db: Db,
  key: string,
  here: { place: string; name: string; step: string | null }
): Promise<{ others: Other[]; revision: number; lockedBy: string | null } | null> {
  const { rows: found } = await db.query<{ id: number; revision: number; locked_by: string | null }>({
    name: 'draft-open',
    text: 'select id, draft_revision as revision, locked_by from journeys where key = $1',
    values: [key]
  });
  const [journey] = found;
  if (!journey) return null;
  await db.query({
    name: 'forget-open',
    text: `delete from open_drafts where journey_id = $1 and seen_at < clock_timestamp() - interval '${GONE_AFTER}'`,
    values: [journey.id]
  });
  await db.query({
    name: 'open-here',
    text: `insert into open_drafts (journey_id, place, name, step, seen_at)
      select $1, $2, $3, $4, clock_timestamp() where (select count(*) from open_drafts where journey_id = $1) < ${MOST}
      on conflict (journey_id, place) do update set name = excluded.name, step = excluded.step, seen_at = excluded.seen_at`,
    values: [journey.id, here.place, here.name, here.step]
  });
  const { rows: others } = await db.query<Other>({
    name: 'open-elsewhere',
    text: `select name, step from open_drafts where journey_id = $1 and place <> $2 order by name, place`,
    values: [journey.id, here.place]
  });
  return { others, revision: journey.revision, lockedBy: journey.locked_by };
}

/** Says that a window was closed. */
export async function goneFrom(db: Db, key: string, place: string): Promise<void> {
  await db.query(`delete from open_drafts where place = $2 and journey_id = (select id from journeys where key = $1)`, [
    key,
    place
  ]);
}
