/** What tags, lists and fields there are: how many people have each, who came and went lately, what sets it, what reads it. */
import { allNames, namesIn, presentName, type NameKind } from '../../core/journey/names.ts';
import { PERSON_COLUMNS } from '../../core/person/columns.ts';
import type { FieldType } from '../../core/person/values.ts';
import type { Settings } from '../../core/settings/schema.ts';
import { compileSettings } from '../../core/settings/workspace.ts';
import { dateText, wallDay } from '../../core/time/civil.ts';
import { readClock } from '../workspace/clock.ts';
import type { Db } from '../db/pool.ts';
import { readSettings } from '../workspace/settings.ts';
import type { Renamable } from './rename.ts';

/** Beyond this people are not counted. */
export const MOST_COUNTED = 10_000;
/** Days of which coming and going is shown. */
export const DAYS = 30;
/** Names that one page shows. */
const MOST_NAMES = 500;

export interface Use {
  /** A journey by its key, a segment, ladder or score by its name. */
  kind: 'journey' | 'segment' | 'settings';
  name: string;
  key: string;
  step: string | null;
}

export interface CatalogueLine {
  name: string;
  formerly: string[];
  people: number;
  more: boolean;
  /** UTC ms; absent where nobody knows. */
  since: number | null;
  /** Who came and who went on each of the last days, oldest first. */
  came: number[];
  went: number[];
  sets: Use[];
  reads: Use[];
  /** What is said of it: a tag's note, a list's purpose. */
  note: string;
  optIn: 'single' | 'double' | null;
  type: FieldType | null;
  options: string[];
  /** Of a field: the values most people have, and how many. */
  values: { value: string; people: number }[];
}

interface Found {
  name: string;
  people: number;
  since: number | null;
}

/** Everything of one kind, by name. */
export async function catalogue(db: Db, kind: Renamable): Promise<CatalogueLine[]> {
  const settings = await readSettings(db);
  const { names } = compileSettings(settings);
  const said = new Map(saidOf(settings, kind).map((s) => [s.name, s]));
  const [found, uses] = [await foundOf(db, kind, [...said.keys()]), await usesOf(db, settings, kind)];
  const present = [...found.map((f) => f.name), ...said.keys(), ...uses.keys()].map((n) => presentName(names, kind, n));
  // What everybody has is no field of the workspace's own.
  const own = new Set<string>(kind === 'field' ? PERSON_COLUMNS : []);
  const all = [...new Set(present)]
    .filter((n) => !own.has(n))
    .sort()
    .slice(0, MOST_NAMES);
  const by = new Map(found.map((f) => [f.name, f]));
  const flows = kind === 'field' ? new Map<string, { came: number[]; went: number[] }>() : await flowsOf(db, kind);
  const values = kind === 'field' ? await valuesOf(db, all) : new Map<string, CatalogueLine['values']>();
  return all.map((name): CatalogueLine => {
    const found = by.get(name);
    const more = said.get(name);
    const called = allNames(names, kind, name);
    const flow = called.flatMap((n) => flows.get(n) ?? []);
    const add = (which: 'came' | 'went'): number[] =>
      Array.from({ length: DAYS }, (_, i) => flow.reduce((n, f) => n + (f[which][i] ?? 0), 0));
    const use = called.flatMap((n) => uses.get(n) ?? []);
    return {
      name,
      formerly: called.slice(1),
      people: Math.min(found?.people ?? 0, MOST_COUNTED),
      more: (found?.people ?? 0) > MOST_COUNTED,
      since: found?.since ?? null,
      came: add('came'),
      went: add('went'),
      sets: distinct(use.filter((u) => u.sets)),
      reads: distinct(use.filter((u) => !u.sets)),
      note: more?.note ?? '',
      optIn: more?.optIn ?? null,
      type: more?.type ?? null,
      options: more?.options ?? [],
      values: values.get(name) ?? []
    };
  });
}

interface Said {
  name: string;
  note?: string | undefined;
  optIn?: 'single' | 'double' | undefined;
  type?: FieldType;
  options?: string[] | undefined;
}

function saidOf(settings: Settings | null, kind: Renamable): Said[] {
  if (kind === 'tag') return settings?.tags ?? [];
  if (kind === 'list') return (settings?.lists ?? []).map(({ purpose, ...l }) => ({ ...l, note: purpose }));
  return settings?.fields ?? [];
}

/** Names that anybody has or had, each counted up to a bound: what a page costs does not grow with the people. */
async function foundOf(db: Db, kind: Renamable, said: string[]): Promise<Found[]> {
  if (kind === 'field') {
    const { rows } = await db.query<Found>(
      `select f.name, (select count(*) from (select from people p where p.fields ? f.name limit ${MOST_COUNTED + 1}) as p) as people, f.since
       from field_names f order by f.name limit ${MOST_NAMES}`
    );
    return rows;
  }
  const { rows } = await db.query<Found>(
    `with recursive held as (
       (select ${kind} as name from person_${kind}s order by 1 limit 1)
       union all
       (select (select l.${kind} from person_${kind}s l where l.${kind} > held.name order by 1 limit 1) from held where held.name is not null)
     ), known as (
       select name from held where name is not null union select unnest($1::text[])${kind === 'tag' ? ' union select name from tags' : ''}
     )
     select n.name, ${kind === 'tag' ? '(select created_at from tags g where g.name = n.name)' : 'null::timestamptz'} as since, (select count(*) from (select from person_${kind}s t where t.${kind} = n.name limit ${MOST_COUNTED + 1}) as t) as people
     from known as n order by n.name limit ${MOST_NAMES}`,
    [said]
  );
  return rows;
}

/** Who came and went, by name and day. */
async function flowsOf(db: Db, kind: 'tag' | 'list'): Promise<Map<string, { came: number[]; went: number[] }>> {
  const { now, zone } = await readClock(db);
  const { rows } = await db.query<{ name: string; ago: number; came: number; went: number }>(
    `select name, $2::date - day as ago, sum(came) as came, sum(went) as went from label_days
     where kind = $1 and day > $2::date - $3::integer and day <= $2::date group by 1, 2`,
    [kind, dateText(wallDay(zone, now)), DAYS]
  );
  const found = new Map<string, { came: number[]; went: number[] }>();
  for (const { name, ago, came, went } of rows) {
    const flow = found.get(name) ?? { came: [], went: [] };
    flow.came[DAYS - 1 - ago] = came;
    flow.went[DAYS - 1 - ago] = went;
    found.set(name, flow);
  }
  return found;
}

/** Of each field the values most people have, among so many people as are looked at. */
async function valuesOf(db: Db, names: string[]): Promise<Map<string, CatalogueLine['values']>> {
  const { rows } = await db.query<{ name: string; values: CatalogueLine['values'] }>(
    `with latest as materialized (select fields from people order by id desc limit 2000)
     select n.name, (select coalesce(jsonb_agg(jsonb_build_object('value', v.value, 'people', v.people) order by v.people desc, v.value), '[]') from (
       select left(x.value, 60) as value, count(*) as people from latest s
       cross join lateral jsonb_array_elements_text(case jsonb_typeof(s.fields -> n.name) when 'array' then s.fields -> n.name else jsonb_build_array(s.fields -> n.name) end) as x (value)
       where s.fields ? n.name group by 1 order by 2 desc, 1 limit 5) as v) as values
     from unnest($1::text[]) as n (name)`,
    [names]
  );
  return new Map(rows.map((r) => [r.name, r.values]));
}

type Sets = Use & { sets: boolean };

/** Every use of names of a kind: in drafts, live versions and versions that somebody still walks on, and in settings. */
async function usesOf(db: Db, settings: Settings | null, kind: NameKind): Promise<Map<string, Sets[]>> {
  const uses = new Map<string, Sets[]>();
  const add = (document: unknown, of: Omit<Use, 'step'>): void => {
    for (const { kind: k, name, sets, step } of namesIn(document))
      if (k === kind) uses.set(name, [...(uses.get(name) ?? []), { ...of, step, sets }]);
  };
  const { rows } = await db.query<{ key: string; name: string; draft: unknown; document: unknown }>(
    `select j.key, j.name, j.draft, v.document from journeys j
     left join versions v on v.journey_id = j.id and (v.number = j.live_version
       or exists (select from walks w where w.journey_id = j.id and w.version = v.number and w.state = 'walking'))
     where j.state <> 'archived' order by j.name`
  );
  for (const { key, name, draft, document } of rows)
    for (const one of [draft, document]) add(one, { kind: 'journey', name, key });
  for (const { name, when } of settings?.segments ?? []) add(when, { kind: 'segment', name, key: name });
  for (const { name, ...rest } of [...(settings?.ladders ?? []), ...(settings?.scores ?? [])])
    add(rest, { kind: 'settings', name, key: name });
  return uses;
}

/** One line for each journey or segment, at its first step. */
function distinct(uses: Sets[]): Use[] {
  const found = new Map<string, Use>();
  for (const { sets: _, ...use } of uses)
    if (!found.has(`${use.kind} ${use.key}`)) found.set(`${use.kind} ${use.key}`, use);
  return [...found.values()];
}
