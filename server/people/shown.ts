/** Which facts of a workspace's own the tables of people show beside those everybody has: one field and one score. */
import type { Db } from '../db/pool.ts';

export interface Shown {
  field: string | null;
  score: string | null;
}

export async function shownFacts(db: Db): Promise<Shown> {
  const { rows } = await db.query<Shown>({
    name: 'shown-facts',
    text: 'select shown_field as field, shown_score as score from workspace'
  });
  return rows[0] ?? { field: null, score: null };
}

/** Shows others, for everybody in the workspace; keys that are absent stay. */
export async function showFacts(db: Db, change: Partial<Shown>): Promise<void> {
  const { field, score } = { ...(await shownFacts(db)), ...change };
  await db.query('update workspace set shown_field = $1, shown_score = $2', [field, score]);
}

/** Names of the scores that anybody has points of: one look at the index a name, however many people there are. */
export async function scoreNames(db: Db): Promise<string[]> {
  const { rows } = await db.query<{ score: string }>({
    name: 'score-names',
    text: `
      with recursive names as (
        (select score from scores order by score limit 1)
        union all
        select (select s.score from scores s where s.score > names.score order by s.score limit 1) from names where names.score is not null
      )
      select score from names where score is not null`
  });
  return rows.map((r) => r.score);
}
