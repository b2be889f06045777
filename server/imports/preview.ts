/** What importing a file would do, in numbers. */
import type { Db } from '../db/pool.ts';
import { CHANGES } from './delta.ts';
import { dateWaysIn, waysIn, type Rule } from './heard.ts';
import { openQuestions, type ImportPlan } from './plan.ts';
import type { LeftOut, Refused } from './rows.ts';

/** What was read of a file. */
export interface Read {
  rows: number;
  leftOut: LeftOut;
}

export interface LabelCount {
  name: string;
  people: number;
}

export interface Preview {
  rows: number;
  made: number;
  changed: number;
  unchanged: number;
  refused: number;
  /** Of people who are known, field by field: how many get a value, and of how many another is replaced. */
  fields: { name: string; filled: number; replaced: number }[];
  refusedBy: { reason: string; column: string | null; rows: number; line: number; found: string }[];
  /** The first of them. */
  refusedFirst: Refused[];
  /** Values left out because they do not fit their field. */
  leftOut: { column: string; count: number; example: string }[];
  /** How many people a label comes on who have it not. The first of them, by how many. */
  tags: LabelCount[];
  lists: LabelCount[];
  consent: { channel: 'email' | 'sms'; state: string; people: number }[];
  /** Withdrawn consents that the file says are given: they stay withdrawn. */
  keptWithdrawn: number;
  /** Journeys that these people come to the door of, by what. Who really gets in is decided there. */
  journeys: { key: string; name: string; by: string; people: number }[];
  /** People that change and are inside a journey now. */
  inside: number;
  /** What has to be said before it can be begun. */
  questions: string[];
}

const NAMED = 50;
const MOST_LABELS = 2000;

/** Reads what {@link stage} has put together, in its transaction. */
export async function previewOf(db: Db, id: number, plan: ImportPlan, header: string[], read: Read): Promise<Preview> {
  const one = async <T extends object>(text: string, values: unknown[] = []): Promise<T> => {
    const { rows } = await db.query<T>(text, values);
    if (!rows[0]) throw new Error('a count that gives no row');
    return rows[0];
  };
  const all = async <T extends object>(text: string, values: unknown[] = []): Promise<T[]> =>
    (await db.query<T>(text, values)).rows;
  const { refused, made, known, changed, kept, inside, consents } = await one<{
    refused: number;
    made: number;
    known: number;
    changed: number;
    kept: number;
    inside: number;
    consents: number;
  }>(
    `select (select count(*) from import_refused where import_id = $1) as refused,
       (select count(*) from import_rows where import_id = $1 and person_id is null) as made,
       (select count(*) from import_known where not clash and line = first) as known, count(*) filter (where ${CHANGES}) as changed, coalesce(sum(kept), 0) as kept,
       count(*) filter (where consent <> '{}') as consents,
       count(*) filter (where ${CHANGES} and exists (select from walks w where w.person_id = c.person and w.state = 'walking')) as inside
     from import_changing c`,
    [id]
  );
  const labels = (which: 'tags' | 'lists'): Promise<LabelCount[]> =>
    all<LabelCount>(
      `select name, count(*) as people from (
         select unnest(${which}) as name from import_rows where import_id = $1 and person_id is null
         union all select unnest(${which}) from import_changing
       ) as l group by name order by people desc, name limit ${MOST_LABELS}`,
      [id]
    );
  const [tags, lists] = [await labels('tags'), await labels('lists')];
  const fields = await all<Preview['fields'][number]>(
    `select d.key as name, count(*) filter (where coalesce(c.was -> d.key, 'null') = 'null') as filled,
       count(*) filter (where coalesce(c.was -> d.key, 'null') <> 'null') as replaced
     from import_changing c, jsonb_object_keys(c.fields) as d (key) group by 1 order by 1`
  );
  return {
    rows: read.rows,
    made,
    changed,
    unchanged: known - changed,
    refused,
    fields,
    refusedBy: await all(
      `select reason, column_name as column, count(*) as rows, min(line) as line, (array_agg(found order by line))[1] as found
       from (select regexp_replace(reason, 'line \\d+', 'line …') as reason, column_name, line, found from import_refused where import_id = $1) as r
       group by 1, 2 order by rows desc, line limit 50`,
      [id]
    ),
    refusedFirst: await all(
      `select line, column_name as column, found, reason from import_refused where import_id = $1 order by line limit ${NAMED}`,
      [id]
    ),
    leftOut: [...read.leftOut].map(([column, { count, example }]) => ({ column, count, example })),
    tags: tags.slice(0, NAMED),
    lists: lists.slice(0, NAMED),
    consent: await all(
      `select channel, state, count(*) as people from (
         select 'email' as channel, consent_email as state from import_rows where import_id = $1 and person_id is null and consent_email is not null
         union all select 'sms', consent_sms from import_rows where import_id = $1 and person_id is null and consent_sms is not null
         union all select d.key, d.value from import_changing c, jsonb_each_text(c.consent) as d
       ) as c group by 1, 2 order by 1, 2`,
      [id]
    ),
    keptWithdrawn: kept,
    questions: openQuestions(plan, header),
    inside: plan.begins ? inside : 0,
    journeys: [
      ...(plan.begins
        ? doors(await waysIn(db), { tags, lists, fields, consents, coming: made + changed, changed })
        : []),
      ...(await byDate())
    ]
  };

  /** A date is a fact that whoever waits for it goes by, whether journeys hear of the import or not. */
  async function byDate(): Promise<Preview['journeys']> {
    const ways = await dateWaysIn(db);
    if (!ways.length) return [];
    const counts = await all<LabelCount>(
      `select f.name, count(*) as people from unnest($2::text[]) as f (name) join (
         select fields from import_rows where import_id = $1 and person_id is null
         union all select fields from import_changing
       ) as r on r.fields ? f.name group by 1`,
      [id, [...new Set(ways.map((w) => w.field))]]
    );
    const having = new Map(counts.map((c) => [c.name, c.people]));
    return ways.flatMap(({ key, name, field }) => {
      const people = having.get(field) ?? 0;
      return people ? [{ key, name, by: `the date ${field}`, people }] : [];
    });
  }
}

/** How many come to the door of which journey. */
function doors(
  rules: Rule[],
  changes: {
    tags: LabelCount[];
    lists: LabelCount[];
    fields: Preview['fields'];
    consents: number;
    /** People who are new or change, and those who change. */
    coming: number;
    changed: number;
  }
): Preview['journeys'] {
  const sum = (counts: readonly { people: number }[]): number => counts.reduce((n, c) => n + c.people, 0);
  return rules.flatMap(({ key, name, on }) => {
    const labels = on.happening === 'tag_added' ? changes.tags : on.happening === 'list_joined' ? changes.lists : null;
    if (labels) {
      const wanted = on.happening === 'tag_added' ? on.tag : on.list;
      const people = sum(labels.filter((l) => wanted === undefined || l.name === wanted));
      const what = on.happening === 'tag_added' ? 'the tag' : 'the list';
      return people
        ? [{ key, name, by: wanted === undefined ? `any ${what.slice(4)}` : `${what} ${wanted}`, people }]
        : [];
    }
    if (on.happening === 'field_changed') {
      const fields = changes.fields.filter((f) => on.field === undefined || f.name === on.field);
      const people = sum(fields.map((f) => ({ people: f.filled + f.replaced })));
      return people ? [{ key, name, by: `a change of ${on.field ?? 'any field'}`, people }] : [];
    }
    // What a segment makes of them is known once they are in: no more than these.
    if (on.happening === 'segment_joined' || on.happening === 'segment_left') {
      const joins = on.happening === 'segment_joined';
      const people = joins ? changes.coming : changes.changed;
      const segment = on.segment === undefined ? 'any segment' : `the segment ${on.segment}`;
      return people ? [{ key, name, by: `${joins ? 'coming into' : 'going out of'} ${segment}`, people }] : [];
    }
    return on.happening === 'consent_changed' && changes.consents
      ? [{ key, name, by: 'a change of consent', people: changes.consents }]
      : [];
  });
}
