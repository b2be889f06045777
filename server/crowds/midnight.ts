/** Segments that hang on the clock are looked at once a day, at the workspace's midnight. Rules: docs/journey-language.md, "Settings". */
import { nextMidnight } from '../../core/person/agenda.ts';
import { readClock } from '../workspace/clock.ts';
import { transaction, ts, type Db, type Pool } from '../db/pool.ts';
import type { SettingsBook } from '../workspace/settings.ts';
import { askCrowd } from './crowds.ts';

/** The next midnight at which segments are looked at, UTC ms; `null` where none hang on the clock. */
export async function midnightDue(db: Db, settings: SettingsBook): Promise<number | null> {
  const { workspace, since } = await settings.read(db);
  if (!workspace.daily) return null;
  const { rows } = await db.query<{ looked_at: number | null }>({
    name: 'looked-at',
    text: 'select looked_at from workspace'
  });
  return nextMidnight(workspace.zone, Math.max(rows[0]?.looked_at ?? -Infinity, since));
}

/** Asks for a look at everyone where a midnight has come; true where it had. Of several that passed at once, one look is enough. */
export async function lookAtMidnight(pool: Pool, settings: SettingsBook): Promise<boolean> {
  const due = await midnightDue(pool, settings);
  if (due === null || due > (await readClock(pool)).now) return false;
  return transaction(pool, async (db) => {
    const { now } = await readClock(db);
    // One of several workers; whoever comes second finds it done.
    const { rowCount } = await db.query(
      'update workspace set looked_at = $1 where looked_at is null or looked_at < $2',
      [ts(now), ts(due)]
    );
    if (rowCount) await askCrowd(db, { kind: 'midnight', by: 'the clock' });
    return rowCount === 1;
  });
}
