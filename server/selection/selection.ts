/**
 * People chosen by what is true of them, by letters, or by hand, and what can be done with all of them at once. Of whom
 * the database cannot tell exactly whether they belong, the core is asked.
 */
import { z } from 'zod';
import { eachCondition } from '../../core/condition/evaluate.ts';
import { conditionSql, Parameters, type AskedAt } from '../../core/condition/sql.ts';
import { conditionSchema, type Condition } from '../../core/condition/schema.ts';
import { compile } from '../../core/journey/compile.ts';
import { FORMAT } from '../../core/journey/schema.ts';
import { newWalk } from '../../core/person/entering.ts';
import { MOST_VALUES } from '../../core/condition/comparison.ts';
import { LONGEST, naming, plainText } from '../../core/text/text.ts';
import { zoneOf } from '../../core/walk/surroundings.ts';
import type { Workspace } from '../../core/settings/workspace.ts';
import type { Db } from '../db/pool.ts';
import { requestRow, type RequestKind } from '../inbox/request.ts';
import { loadPeople } from '../engine/load.ts';
import { PlanBook } from '../engine/plans.ts';
import { lettersSql } from './letters.ts';
import { knownZones } from './may-have-changed.ts';

/** People chosen by hand, at most: those of some pages. */
const MOST_BY_HAND = 2000;
/** Each is asked of everybody: what one rule may cost. */
const MOST_QUESTIONS = 300;

export const selectionSchema = z.strictObject({
  /** What has to be true of them; absent: of everybody. */
  where: conditionSchema
    .refine((c) => eachCondition(c).length <= MOST_QUESTIONS, `a rule of at most ${MOST_QUESTIONS} questions`)
    .optional(),
  /** Letters of their name or address. */
  text: plainText(200).optional(),
  /** These alone. */
  ids: z.array(z.number().int().positive()).min(1).max(MOST_BY_HAND).optional(),
  /** Whom that crowd has asked. */
  asked: z.number().int().positive().optional()
});
export type Selection = z.infer<typeof selectionSchema>;

const name = naming(LONGEST.name).pipe(z.string().min(1));
export const changeSchema = z.discriminatedUnion('act', [
  z.strictObject({ act: z.enum(['add tag', 'remove tag']), tag: name }),
  z.strictObject({ act: z.enum(['add list', 'remove list']), list: name }),
  z.strictObject({ act: z.enum(['enter', 'end']), journey: name }),
  z.strictObject({
    act: z.literal('set field'),
    field: name,
    /** As it is typed, or as the field's type has it (see {@link typedChange}). */
    value: z.union([plainText().min(1), z.number(), z.boolean(), z.array(plainText()).min(1).max(MOST_VALUES)])
  }),
  z.strictObject({
    act: z.literal('add points'),
    score: name,
    points: z
      .number()
      .min(-1_000_000)
      .max(1_000_000)
      .refine((n) => n !== 0, 'expected points')
  }),
  z.strictObject({ act: z.literal('erase') })
]);
export type Change = z.infer<typeof changeSchema>;

/** Of whom it is not true yet: for the others it would change nothing. `null`: the engine says whom it concerns. */
export function concerns(change: Change): Condition | null {
  switch (change.act) {
    case 'add tag':
      return { not: { tag: change.tag } };
    case 'remove tag':
      return { tag: change.tag };
    case 'add list':
      return { not: { list: change.list } };
    case 'remove list':
      return { list: change.list };
    case 'end':
      return { walking: change.journey };
    case 'set field':
      return { not: { field: change.field, is: change.value } };
    case 'enter':
    case 'add points':
    case 'erase':
      return null;
  }
}

/** What takes a change back; `null` where that cannot be. */
export function reverse(change: Change): Change | null {
  switch (change.act) {
    case 'add tag':
      return { ...change, act: 'remove tag' };
    case 'remove tag':
      return { ...change, act: 'add tag' };
    case 'add list':
      return { ...change, act: 'remove list' };
    case 'remove list':
      return { ...change, act: 'add list' };
    default:
      return null;
  }
}

/** What is put into the inbox for each of them; who is erased gets nothing any more. */
export function requestFor(change: Exclude<Change, { act: 'erase' }>): { name: RequestKind; data: string } {
  switch (change.act) {
    case 'add tag':
      return requestRow('set', { addTags: [change.tag] });
    case 'remove tag':
      return requestRow('set', { removeTags: [change.tag] });
    case 'add list':
      return requestRow('set', { addLists: [change.list] });
    case 'remove list':
      return requestRow('set', { removeLists: [change.list] });
    case 'enter':
      return requestRow('enter', { journey: change.journey, by: 'hand' });
    case 'set field':
      return requestRow('set', { fields: { [change.field]: change.value } });
    case 'end':
      return requestRow('end', { journey: change.journey });
    case 'add points':
      return requestRow('set', { scores: { [change.score]: change.points } });
  }
}

/** A selection narrowed to those whom a change concerns. */
export function narrowed(selection: Selection, change: Change): Selection {
  const more = concerns(change);
  if (!more) return selection;
  return { ...selection, where: selection.where ? { all: [selection.where, more] } : more };
}

/** SQL over `people p` that holds for all who may belong; `sure`, where it was asked for, for those who surely do. */
export interface SelectionSql {
  sql: string;
  sure: string;
  /** Both are the same. */
  exact: boolean;
}

export function selectionSql(
  { where, text, ids, asked: crowd }: Selection,
  asked: AskedAt,
  parameters: Parameters,
  wantsSure = false
): SelectionSql {
  const parts = [
    ...lettersSql(text ?? '', parameters),
    ...(ids ? [`p.id = any(${parameters.add(ids)}::bigint[])`] : []),
    ...(crowd === undefined
      ? []
      : [
          `exists (select from happenings h where h.person_id = p.id and h.source = 'crowd' and h.source_id = ${parameters.add(String(crowd))})`
        ])
  ];
  const over = where ? conditionSql(where, 'over', asked, parameters) : null;
  const under = where && over && !over.exact && wantsSure ? conditionSql(where, 'under', asked, parameters) : null;
  return {
    sql: [...parts, ...(over ? [`(${over.sql})`] : [])].join(' and ') || 'true',
    sure: under ? `(${under.sql})` : 'true',
    exact: over?.exact ?? true
  };
}

// Made when it is first needed: settings ask for crowds, and plans for settings.
let plans: PlanBook | null = null;

/** Of these people, those of whom a condition is true, as the core tells it. */
async function metBy(db: Db, where: Condition, ids: number[], at: number, workspace: Workspace): Promise<number[]> {
  if (!ids.length) return [];
  plans ??= new PlanBook();
  await plans.live(db);
  const plan = compile({ format: FORMAT, key: 'selection', entry: { where }, lane: [] });
  const { people } = await loadPeople(db, ids, at, plans, [plan], workspace);
  return people.flatMap(({ id, state: person }) => {
    const walk = newWalk(plan, person, at, 'hand', undefined, workspace.zone);
    const met = plan.entry.where?.({ person, walk, at, zone: zoneOf(person, plan, workspace.zone), workspace });
    return met ? [id] : [];
  });
}

/** People whom one statement holds against a selection. */
const HELD_AGAINST = 10_000;

/** The next people of a selection behind `after`, at most `portion` looked at closely; `last`: up to whom everybody has been looked at. */
export async function nextOf(
  db: Db,
  selection: Selection,
  after: number,
  portion: number,
  at: number,
  workspace: Workspace
): Promise<{ ids: number[]; last: number | null; ended: boolean }> {
  const parameters = new Parameters([after, HELD_AGAINST, portion]);
  const asked: AskedAt = { at, workspace, zones: await knownZones(db) };
  const { sql, sure } = selectionSql(selection, asked, parameters, true);
  // Those who were ticked are read, and not everybody there is.
  const among = selection.ids ? `and id = any(${parameters.add(selection.ids)}::bigint[])` : '';
  const { rows } = await db.query<{ id: number | null; sure: boolean; held: number; end: number | null }>(
    `with next as materialized (
       select * from people where id > $1 ${among} order by id limit $2
     ), found as (
       select id, ${sure} as sure from next as p where ${sql} order by id limit $3
     )
     select f.id, f.sure, n.held, n.end
     from (select count(*) as held, max(id) as end from next) as n left join found f on true order by f.id`,
    parameters.values
  );
  const found = rows.flatMap(({ id, sure }) => (id === null ? [] : [{ id, sure }]));
  const unsure = found.flatMap(({ id, sure }) => (sure ? [] : [id]));
  const met = new Set(unsure.length && selection.where ? await metBy(db, selection.where, unsure, at, workspace) : []);
  const { held = 0, end = null } = rows[0] ?? {};
  const full = found.length === portion;
  return {
    ids: found.flatMap(({ id, sure }) => (sure || met.has(id) ? [id] : [])),
    last: full ? (found.at(-1)?.id ?? null) : end,
    ended: held < HELD_AGAINST && !full
  };
}
