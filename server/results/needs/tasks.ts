/** Tasks that are due. */
import { plural } from '../../../core/tell/words.ts';
import { nameSql } from '../../db/person-name.ts';
import { ts, type Db } from '../../db/pool.ts';
import { allFields } from '../../engine/all-fields.ts';
import { filled } from '../../tasks/tasks.ts';
import type { Need } from './need.ts';

export async function taskNeeds(db: Db, now: number): Promise<Need[]> {
  const { rows } = await db.query<{
    n: number;
    title: string;
    name: string;
    journey: string;
    fields: Record<string, unknown>;
  }>({
    name: 'today-tasks-due',
    text: `
        select t.n, t.title, ${nameSql()} as name,
          j.name as journey, ${allFields('p')} as fields
        from (
          select person_id, journey_id, title, count(*) over () as n from tasks
          where done_at is null and due_at <= $1 order by due_at, priority, id limit 1
        ) t join people p on p.id = t.person_id join journeys j on j.id = t.journey_id`,
    values: [ts(now)]
  });
  return Promise.all(
    rows.map(async (r): Promise<Need> => ({
      kind: 'task',
      title: `${plural(r.n, 'task is', 'tasks are')} due`,
      detail: `${await filled(r.title, r.fields, r.journey)} · ${r.name}${r.n > 1 ? `, and ${r.n - 1} more` : ''}`,
      href: '/tasks?view=due',
      act: 'Open'
    }))
  );
}
