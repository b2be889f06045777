/**
 * How many people meet conditions now, while they are typed. One statement looks at everybody once for all of them; where
 * there are so many people that this would not be over in a moment, at a part of them, and says so. What it costs is bounded:
 * by the part that is looked at, by a limit of the statement, and by how many such looks there may be at a time.
 */
import { conditionSql, Parameters, type AskedSql } from '../../core/condition/sql.ts';
import { eachCondition } from '../../core/condition/evaluate.ts';
import type { Condition } from '../../core/condition/schema.ts';
import { now } from '../workspace/clock.ts';
import { knownZones } from '../selection/may-have-changed.ts';
import { transaction, type Db, type Pool } from '../db/pool.ts';
import { concerns, selectionSql, type Change, type Selection } from '../selection/selection.ts';
import type { SettingsBook } from '../workspace/settings.ts';
import { PERSON_COLUMNS } from '../../core/person/columns.ts';

/** With more people than these, about so many of them are looked at. */
const LOOKED_AT = 200_000;
/** A look takes no longer, ms. */
const LONGEST_MS = 4000;
/** Looks under way at a time in this process: the rest of the application needs its connections. */
const AT_ONCE = 2;
/** Different questions asked of each person in one look: the database knows no more columns than about three times as many. */
const MOST_QUESTIONS = 500;
/** Values of a field that are named. */
const VALUES = 24;
/** People among whom values are looked for: the newest. */
const AMONG = 100_000;

export interface Counted {
  /** People who meet it; at most so many where it is not `exact`. `null`: it cannot be told of people who are not walking. */
  people: number | null;
  exact: boolean;
}

export interface Counts {
  /** One for each condition, in their order. */
  counts: Counted[];
  /** People there are. */
  of: number;
  /** Counted among so many, and scaled, where there are too many to look at all; else `null`. */
  estimatedFrom: number | null;
}

export class TooLong extends Error {
  /** `passes`: it is so only just now, and may be asked again. */
  constructor(
    message: string,
    readonly passes = false
  ) {
    super(message);
  }
}

let underway = 0;

/** Runs a look within its limits; throws {@link TooLong} where it would not be over in time, or too many are under way. */
export async function look<T>(pool: Pool, work: (db: Db) => Promise<T>): Promise<T> {
  if (underway >= AT_ONCE) throw new TooLong('Others are being counted just now.', true);
  underway++;
  try {
    return await transaction(pool, async (db) => {
      await db.query(`set local statement_timeout = ${LONGEST_MS}`);
      return work(db);
    });
  } catch (error) {
    if ((error as { code?: string }).code === '57014')
      throw new TooLong(`Counting took longer than ${LONGEST_MS / 1000} seconds.`);
    throw error;
  } finally {
    underway--;
  }
}

/** Everybody, or where they are too many a part of them: SQL of `people p`, how many there are, and of how many percent it is. */
async function everybody(db: Db, lookedAt = LOOKED_AT): Promise<{ about: number; part: number | null; from: string }> {
  const { rows } = await db.query<{ about: number }>(
    `select greatest(reltuples, 0)::bigint as about from pg_class where oid = 'people'::regclass`
  );
  const about = rows[0]?.about ?? 0;
  const part = about > 2 * lookedAt ? (100 * lookedAt) / about : null;
  return {
    about,
    part,
    from: `people p${part === null ? '' : ` tablesample system (${part.toFixed(4)}) repeatable (1)`}`
  };
}

export interface SelectedCount {
  people: number;
  /** Of those, whom the change concerns. */
  concerned: number;
  /** Neither is an estimate, nor an upper bound. */
  exact: boolean;
}

/** How many people a selection holds, and of how many a change would be one. */
export async function countSelected(
  pool: Pool,
  settings: SettingsBook,
  selection: Selection,
  change: Change | null
): Promise<SelectedCount> {
  const zones = await knownZones(pool);
  return look(pool, async (db) => {
    const { workspace } = await settings.read(db);
    const asked = { at: await now(db), workspace, zones };
    const few = selection.ids !== undefined || selection.asked !== undefined;
    const { part, from } = few ? { part: null, from: 'people p' } : await everybody(db);
    const parameters = new Parameters();
    const all = selectionSql(selection, asked, parameters);
    const own = change && concerns(change);
    const more = own ? conditionSql(own, 'over', asked, parameters) : { sql: 'true', exact: true };
    const { rows } = await db.query<{ people: number; concerned: number }>(
      `select count(*) as people, count(*) filter (where ${more.sql}) as concerned from ${from} where ${all.sql}`,
      parameters.values
    );
    const scaled = (n: number): number => Math.round(part === null ? n : (n * 100) / part);
    return {
      people: scaled(rows[0]?.people ?? 0),
      concerned: scaled(rows[0]?.concerned ?? 0),
      exact: part === null && all.exact && more.exact
    };
  });
}

function within(questions: number): void {
  if (questions > MOST_QUESTIONS)
    throw new TooLong(`This asks ${questions} different things: more than ${MOST_QUESTIONS} are not counted at once.`);
}

/** Whether a condition asks what only a walk knows. */
const needsWalk = (condition: Condition): boolean =>
  eachCondition(condition).some(
    (c) => 'came' in c || ('did' in c && c.of !== undefined) || ('since' in c && c.since !== undefined)
  );

/**
 * How many people meet each of some conditions; of more than twice `lookedAt` people about so many are looked at. One alone is asked for as
 * those who meet it, which is several times as fast as asking each person.
 */
export async function countPeople(
  pool: Pool,
  settings: SettingsBook,
  conditions: Condition[],
  lookedAt = LOOKED_AT
): Promise<Counts> {
  const zones = await knownZones(pool);
  return look(pool, async (db) => {
    const { workspace } = await settings.read(db);
    const at = await now(db);
    const { about, part, from } = await everybody(db, lookedAt);
    const parameters = new Parameters();
    const scaled = (seen: number): number => (part !== null && seen ? about / seen : 1);
    const told = (seen: number): Pick<Counts, 'of' | 'estimatedFrom'> => ({
      of: part === null ? seen : about,
      estimatedFrom: part === null ? null : seen
    });
    const [alone] = conditions;
    if (conditions.length === 1 && alone && !needsWalk(alone)) {
      within(eachCondition(alone).length);
      const { sql, exact } = conditionSql(alone, 'over', { at, workspace, zones }, parameters);
      const { rows } = await db.query<{ seen: number; people: number }>(
        `select (select count(*) from ${from}) as seen, (select count(*) from ${from} where ${sql}) as people`,
        parameters.values
      );
      const { seen = 0, people = 0 } = rows[0] ?? {};
      return { counts: [{ people: Math.round(people * scaled(seen)), exact }], ...told(seen) };
    }
    // Each question is asked of each person once, however many of the conditions hold it: most of the time goes there.
    const columns = new Map<string, AskedSql & { name: string }>();
    const combined = (c: Condition, side: 'over' | 'under'): AskedSql => {
      const parts = 'all' in c ? c.all : 'any' in c ? c.any : null;
      if (parts) {
        const made = parts.map((part) => combined(part, side));
        const sql = `(${made.map((m) => m.sql).join('all' in c ? ' and ' : ' or ')})`;
        return { sql, exact: made.every((m) => m.exact) };
      }
      const inner = eachCondition(c)[1];
      if (inner) {
        const made = combined(inner, side === 'over' ? 'under' : 'over');
        return { sql: `(not ${made.sql})`, exact: made.exact };
      }
      const key = `${side} ${JSON.stringify(c)}`;
      let column = columns.get(key);
      if (!column) {
        column = { ...conditionSql(c, side, { at, workspace, zones }, parameters), name: `q${columns.size}` };
        columns.set(key, column);
      }
      return { sql: column.name, exact: column.exact };
    };
    const asked = conditions.map((c) => (needsWalk(c) ? null : combined(c, 'over')));
    within(columns.size);
    const counts = asked.map((a, i) => (a ? `count(*) filter (where ${a.sql}) as c${i}` : `null as c${i}`));
    const questions = [...columns.values()].map(({ sql, name }) => `(${sql}) as ${name}`);
    const { rows } = await db.query<Record<string, number | null>>(
      `select ${['count(*) as n', ...counts].join(', ')} from (
         select ${['p.id', ...questions].join(', ')} from ${from}
         offset 0
       ) as each_person`,
      parameters.values
    );
    const row = rows[0] ?? {};
    const seen = row['n'] ?? 0;
    return {
      counts: asked.map((a, i) => {
        const n = row[`c${i}`];
        return { people: typeof n === 'number' ? Math.round(n * scaled(seen)) : null, exact: a?.exact ?? false };
      }),
      ...told(seen)
    };
  });
}

export interface FieldValueCount {
  value: string | number | boolean;
  people: number;
}

/** The values that people have of a field, most frequent first; each choice of several by itself. Looked for among the newest. */
export async function valuesOf(pool: Pool, field: string): Promise<FieldValueCount[]> {
  const own = (PERSON_COLUMNS as readonly string[]).includes(field);
  return look(pool, async (db) => {
    const { rows } = await db.query<FieldValueCount>(
      `select v as value, count(*) as people from (
         select ${own ? `to_jsonb(p.${field})` : 'p.fields -> $1::text'} as had from people p order by p.id desc limit ${AMONG}
       ) as p, jsonb_array_elements(case jsonb_typeof(had) when 'array' then had else jsonb_build_array(had) end) as v
       where had is not null and jsonb_typeof(v) in ('string', 'number', 'boolean') and v <> '""'
       group by v order by count(*) desc, v limit ${VALUES}`,
      own ? [] : [field]
    );
    return rows;
  });
}
