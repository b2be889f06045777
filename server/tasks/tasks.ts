/** Tasks for colleagues: which there are, and doing one. Walks that stand on one hear of it through the inbox, like of anything else. */
import { nameSql } from '../db/person-name.ts';
import { allFields } from '../engine/all-fields.ts';
import { fromWall, parseDate } from '../../core/time/civil.ts';
import { DAY, MINUTE } from '../../core/time/duration.ts';
import { now, readClock } from '../workspace/clock.ts';
import { changed, notify } from '../db/notify.ts';
import { transaction, ts, type Db, type Pool } from '../db/pool.ts';
import { fillText } from '../mail/fill.ts';

export type TaskView = 'mine' | 'all' | 'due' | 'done';

export interface TaskLine {
  id: number;
  title: string;
  what: string;
  priority: number;
  note: string | null;
  assignee: string | null;
  /** Whether somebody stands still until it is done. */
  awaited: boolean;
  createdAt: number;
  dueAt: number | null;
  doneAt: number | null;
  doneBy: string | null;
  outcome: string | null;
  person: number;
  name: string;
  phone: string | null;
  email: string | null;
  /** `null`: made by hand, by {@link madeBy}. */
  journey: string | null;
  journeyKey: string | null;
  step: string | null;
  madeBy: string | null;
}

/** Tasks of one page. */
const MOST = 100;

interface Row extends TaskLine {
  fields: Record<string, unknown>;
}

/** By view: which tasks, and in which order. `$1` is the present, `$2` whose they are. */
const VIEWS: Record<TaskView, [where: string, order: string]> = {
  mine: [
    't.done_at is null and (t.assignee = any($2::text[]) or t.assignee is null)',
    't.due_at nulls last, t.priority, t.id'
  ],
  all: ['t.done_at is null and $2::text[] is not null', 't.due_at nulls last, t.priority, t.id'],
  due: ['t.done_at is null and t.due_at <= $1::timestamptz and $2::text[] is not null', 't.due_at, t.priority, t.id'],
  done: ['t.done_at is not null and $2::text[] is not null', 't.done_at desc, t.id']
};

/** Tasks of a view; `me` holds the names and addresses a task may be assigned to me by. */
export async function tasks(
  db: Db,
  view: TaskView,
  me: string[]
): Promise<{ tasks: TaskLine[]; counts: Record<Exclude<TaskView, 'done'>, number>; now: number }> {
  const present = await now(db);
  const [where, order] = VIEWS[view];
  const values = [ts(present), me];
  const [found, counts] = await Promise.all([
    db.query<Row>({
      name: `tasks-${view}`,
      text: `
        select t.id, t.title, t.what, t.priority, t.note, t.assignee,
          t.awaited and exists (select from walks w where w.person_id = t.person_id and w.id = t.walk_id and w.step = t.step
            and w.state = 'walking' and w.standing = 'task') as awaited, t.created_at as "createdAt",
          t.due_at as "dueAt", t.done_at as "doneAt", t.done_by as "doneBy", t.outcome, t.person_id as person,
          ${nameSql()} as name, p.phone, p.email,
          j.name as journey, j.key as "journeyKey", t.step, t.made_by as "madeBy",
          ${allFields('p')} as fields
        from (select * from tasks t where ${where} and $1::timestamptz is not null order by ${order} limit ${MOST}) t
        join people p on p.id = t.person_id
        left join journeys j on j.id = t.journey_id
        order by ${order}`,
      values
    }),
    db.query<Record<Exclude<TaskView, 'done'>, number>>({
      name: 'task-counts',
      text: `
        select count(*) as all, count(*) filter (where assignee = any($2::text[]) or assignee is null) as mine,
          count(*) filter (where due_at <= $1::timestamptz) as due
        from tasks where done_at is null`,
      values
    })
  ]);
  return {
    tasks: await Promise.all(
      found.rows.map(async ({ fields, ...task }) => ({
        ...task,
        title: task.journey === null ? task.title : await filled(task.title, fields, task.journey),
        note: task.note === null || task.journey === null ? task.note : await filled(task.note, fields, task.journey)
      }))
    ),
    counts: counts.rows[0] ?? { mine: 0, all: 0, due: 0 },
    now: present
  };
}

/** Personal fields filled in; as it was written where that cannot be done: a task is there to be seen. */
export async function filled(template: string, person: Record<string, unknown>, journey: string): Promise<string> {
  if (!/\{[{%]/.test(template)) return template;
  const scope = { person, journey: { name: journey }, links: { unsubscribe: '' } };
  return fillText({ what: 'text', template, scope }).catch(() => template);
}

/** Marks a task as done; false where it was done before, or is not there. */
export async function doTask(pool: Pool, id: number, by: string, outcome: string | null): Promise<boolean> {
  return transaction(pool, async (db) => {
    const at = ts(await now(db));
    const { rows } = await db.query<{
      person_id: number;
      walk_id: number | null;
      journey_id: number | null;
      step: string | null;
    }>(
      `update tasks set done_at = $2, done_by = $3, outcome = $4 where id = $1 and done_at is null
       returning person_id, walk_id, journey_id, step`,
      [id, at, by, outcome]
    );
    const task = rows[0];
    if (!task) return false;
    await db.query(
      `insert into happenings (person_id, name, at, source, source_id, walk_id, journey_id, step, data)
       values ($1, 'task_done', $2, 'tasks', $3, $4, $5, $6, $7) on conflict do nothing`,
      [
        task.person_id,
        at,
        String(id),
        task.walk_id,
        task.journey_id,
        task.step,
        JSON.stringify(outcome === null ? {} : { outcome })
      ]
    );
    await notify(db, 'inbox');
    await changed(db, {
      journeys: task.journey_id === null ? [] : [task.journey_id],
      people: [task.person_id],
      post: true
    });
    return true;
  });
}

/** Makes a task about somebody, by hand; false where there is nobody. `due`: the day (`2027-03-01`) by whose end it is due. */
export async function addTask(
  db: Db,
  person: number,
  { title, due }: { title: string; due: string | null },
  by: string
): Promise<boolean> {
  const clock = await readClock(db);
  const day = due === null ? null : parseDate(due);
  const { rowCount } = await db.query(
    `insert into tasks (person_id, title, what, priority, awaited, created_at, made_by, due_at)
     select id, $2, 'other', 1, false, $3, $4, $5 from people where id = $1`,
    [person, title, ts(clock.now), by, day === null ? null : ts(fromWall(clock.zone, day + DAY - MINUTE))]
  );
  await changed(db, { people: [person], post: true });
  return rowCount === 1;
}
