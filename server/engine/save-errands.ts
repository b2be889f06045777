/** Writes what a batch has others do: tasks for colleagues, and errands that workers run. One a walk, step and visit. */
import type { TaskStep } from '../../core/steps/task.ts';
import { addDuration } from '../../core/time/civil.ts';
import { duration } from '../../core/time/duration.ts';
import { columns } from '../db/columns.ts';
import { notify } from '../db/notify.ts';
import { ts, type Db } from '../db/pool.ts';
import type { PlanBook } from './plans.ts';
import type { BatchRecord } from './record.ts';

const PRIORITIES = { high: 0, normal: 1, low: 2 } as const;

/** `zone`: the workspace's. */
export async function saveErrands(
  db: Db,
  plans: PlanBook,
  { errands }: Pick<BatchRecord, 'errands'>,
  zone: string
): Promise<void> {
  if (!errands.length) return;
  const all = errands.map(({ person, version, errand: e }) => {
    const journey = plans.idOf(e.journey);
    const plan = plans.plan(journey, version);
    return {
      ...e,
      person,
      version,
      journey,
      at: ts(e.at),
      instant: e.at,
      of: plan.byKey.get(e.step)?.step
    };
  });
  const tasks = all.flatMap((row) =>
    row.of?.kind === 'task' ? [{ ...row, ...taskColumns(row.of, row.instant, zone) }] : []
  );
  if (tasks.length) {
    await db.query({
      name: 'save-tasks',
      text: `
        insert into tasks (person_id, walk_id, journey_id, version, step, visit, record, created_at, title, what, priority,
          note, assignee, awaited, due_at)
        select t.person_id, t.walk_id, t.journey_id, t.version, t.step, t.visit, t.record, t.at, t.title, t.what, t.priority,
          t.note, case t.assignee when 'owner' then coalesce(p.fields ->> 'owner', j.owner, j.created_by) else t.assignee end,
          t.awaited, t.due_at
        from unnest($1::bigint[], $2::integer[], $3::bigint[], $4::integer[], $5::text[], $6::integer[], $7::bigint[],
          $8::timestamptz[], $9::text[], $10::text[], $11::smallint[], $12::text[], $13::text[], $14::boolean[],
          $15::timestamptz[]) with ordinality
          as t (person_id, walk_id, journey_id, version, step, visit, record, at, title, what, priority, note, assignee,
            awaited, due_at, place)
        join people p on p.id = t.person_id
        join journeys j on j.id = t.journey_id
        order by t.place`,
      values: columns(tasks, [
        'person',
        'walk',
        'journey',
        'version',
        'step',
        'visit',
        'order',
        'at',
        'title',
        'what',
        'priority',
        'note',
        'assignee',
        'awaited',
        'due'
      ])
    });
  }
  const others = all.filter((row) => row.kind !== 'task');
  if (!others.length) return;
  await db.query({
    name: 'save-errands',
    text: `
      insert into errands (person_id, kind, walk_id, journey_id, version, step, visit, record, at)
      select person_id, kind, walk_id, journey_id, version, step, visit, record, at
      from unnest($1::bigint[], $2::text[], $3::integer[], $4::bigint[], $5::integer[], $6::text[], $7::integer[],
        $8::bigint[], $9::timestamptz[]) with ordinality
        as t (person_id, kind, walk_id, journey_id, version, step, visit, record, at, place)
      order by place`,
    values: columns(others, ['person', 'kind', 'walk', 'journey', 'version', 'step', 'visit', 'order', 'at'])
  });
  await notify(db, 'outbox');
}

/** What a task says, and when it is due: counted in the workspace's zone, whose days colleagues work by. */
function taskColumns(
  step: TaskStep,
  instant: number,
  zone: string
): {
  title: string;
  what: string;
  priority: number;
  note: string | null;
  assignee: string;
  awaited: boolean;
  due: string | null;
} {
  return {
    title: step.title,
    what: step.what ?? 'other',
    priority: PRIORITIES[step.priority ?? 'normal'],
    note: step.text ?? null,
    assignee: step.to ?? 'owner',
    awaited: step.await !== undefined,
    due: step.due === undefined ? null : ts(addDuration(zone, instant, duration(step.due)))
  };
}
