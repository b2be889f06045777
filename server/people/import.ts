/** Writing imported people: new ones made, known ones (by email, else by phone) updated. */
import { now } from '../clock/clock.ts';
import { columns } from '../db/columns.ts';
import { changed, notify } from '../db/notify.ts';
import { transaction, ts, type Db, type Pool } from '../db/pool.ts';
import { catalogueFields } from './field-names.ts';
import { isRefused, type GoodRow, type Refused } from './rows.ts';

export interface Matched {
  row: GoodRow;
  /** The person it updates; `null` makes a new one. */
  person: number | null;
}

export interface ImportProgress {
  done: number;
  total: number;
  made: number;
  updated: number;
  /** People whose withdrawn consent the file would have turned into a given one; it stays withdrawn. */
  keptWithdrawn: number;
}

const AT_ONCE = 500;

/** Lines of the rows that have taken a person, by the person: one row for each. */
export type Taken = Map<number, number>;

/**
 * Finds who is known already. A row whose two addresses belong to two people is refused, and one for a person that
 * another row of the file has `taken`.
 */
export async function matchRows(
  db: Db,
  rows: GoodRow[],
  taken: Taken = new Map()
): Promise<{ matched: Matched[]; refused: Refused[] }> {
  const matched: Matched[] = [];
  const refused: Refused[] = [];
  const known = await db.query<{ id: number; email: string | null; phone: string | null }>(
    `select id, lower(email) as email, phone from people where lower(email) = any($1::text[]) or phone = any($2::text[])`,
    [rows.map((r) => r.email), rows.map((r) => r.phone)]
  );
  const byEmail = new Map(known.rows.map((k) => [k.email, k.id]));
  const byPhone = new Map(known.rows.map((k) => [k.phone, k.id]));
  for (const row of rows) {
    const a = row.email === null ? undefined : byEmail.get(row.email);
    const b = row.phone === null ? undefined : byPhone.get(row.phone);
    if (b !== undefined && b !== a && row.email !== null) {
      refused.push({
        line: row.line,
        column: null,
        found: row.phone ?? '',
        reason: 'this phone number belongs to someone with another email'
      });
      continue;
    }
    const person = a ?? b ?? null;
    const line = person === null ? undefined : taken.get(person);
    if (line !== undefined) {
      refused.push({
        line: row.line,
        column: null,
        found: row.email ?? row.phone ?? '',
        reason: `this is the person of line ${line}, by another address`
      });
      continue;
    }
    if (person !== null) taken.set(person, row.line);
    matched.push({ row, person });
  }
  return { matched, refused };
}

/** Good rows, so many at a time; refused ones are left out. */
async function* inParts(rows: AsyncIterable<GoodRow | Refused>, size: number): AsyncGenerator<GoodRow[]> {
  let part: GoodRow[] = [];
  for await (const row of rows) {
    if (isRefused(row)) continue;
    part.push(row);
    if (part.length < size) continue;
    yield part;
    part = [];
  }
  if (part.length) yield part;
}

/**
 * Imports, five hundred at a time, each part whole or not at all. `begins`:
 * whether tags of the file begin journeys, as tags put on by hand would; if not,
 * they only describe how things stand. `total`: how many rows will come, for the
 * progress. Stops between parts when `signal` says so.
 */
export async function importRows(
  pool: Pool,
  rows: AsyncIterable<GoodRow | Refused>,
  options: { importId: string; begins: boolean; total: number; signal?: AbortSignal },
  progress: (p: ImportProgress) => void
): Promise<ImportProgress> {
  const state: ImportProgress = { done: 0, total: options.total, made: 0, updated: 0, keptWithdrawn: 0 };
  const taken: Taken = new Map();
  for await (const part of inParts(rows, AT_ONCE)) {
    if (options.signal?.aborted) break;
    let took = 0;
    await transaction(pool, async (db) => {
      const at = ts(await now(db));
      // Matched anew: someone may have come in another way since the preview.
      const { matched } = await matchRows(db, part, taken);
      took = matched.length;
      const made = matched.filter((m) => m.person === null);
      const known = matched.filter((m): m is { row: GoodRow; person: number } => m.person !== null);
      const people = [
        ...(await makePeople(
          db,
          made.map((m) => m.row),
          at
        )),
        ...known
      ];
      await updatePeople(db, known, at);
      await catalogueFields(
        db,
        people.flatMap((p) => Object.keys(p.row.fields)),
        Date.parse(at ?? '')
      );
      state.keptWithdrawn += await saveConsents(db, people, at);
      await askLooks(db, people, at);
      await saveLabels(db, people, at, options);
      state.made += made.length;
      state.updated += known.length;
      if (options.begins) await notify(db, 'inbox');
      await changed(db, { people: 'many' });
    });
    state.done += took;
    progress({ ...state });
  }
  return state;
}

/** Dates and segments of whom a file brings or changes are worked out, where anything of the workspace goes by them. */
async function askLooks(db: Db, people: Person[], at: string | null): Promise<void> {
  await db.query(
    `insert into happenings (person_id, name, at, source, data)
     select id, 'look', $2, 'import', '{"midnight": true}' from unnest($1::bigint[]) with ordinality as t (id, place)
     where exists (select from workspace where jsonb_array_length(coalesce(settings -> 'segments', '[]')) > 0)
       or exists (
         select from journeys j join versions v on v.journey_id = j.id and v.number = j.live_version
         where j.state = 'live' and v.document -> 'entry' ?| array['date', 'timetable'])
     order by place`,
    [people.map((p) => p.person), at]
  );
  await notify(db, 'inbox');
}

interface Person {
  row: GoodRow;
  person: number;
}
const PERSON = ['email', 'phone', 'first_name', 'last_name', 'zone', 'json'] as const;
const withJson = (row: GoodRow): GoodRow & { json: string } => ({ ...row, json: JSON.stringify(row.fields) });

async function makePeople(db: Db, rows: GoodRow[], at: string | null): Promise<Person[]> {
  if (!rows.length) return [];
  const { rows: made } = await db.query<{ id: number }>(
    `insert into people (email, phone, first_name, last_name, zone, fields, created_at, updated_at)
     select email, phone, first_name, last_name, zone, fields, $7, $7
     from unnest($1::text[], $2::text[], $3::text[], $4::text[], $5::text[], $6::jsonb[]) with ordinality
       as t (email, phone, first_name, last_name, zone, fields, place)
     order by place
     returning id`,
    [...columns(rows.map(withJson), PERSON), at]
  );
  return made.flatMap((m, i) => {
    const row = rows[i];
    return row ? [{ row, person: m.id }] : [];
  });
}

async function updatePeople(db: Db, people: Person[], at: string | null): Promise<void> {
  if (!people.length) return;
  await db.query(
    `update people p
     set email = coalesce(t.email, p.email), phone = coalesce(t.phone, p.phone), zone = coalesce(t.zone, p.zone),
       first_name = coalesce(t.first_name, p.first_name), last_name = coalesce(t.last_name, p.last_name),
       fields = p.fields || t.fields, updated_at = $8
     from unnest($1::text[], $2::text[], $3::text[], $4::text[], $5::text[], $6::jsonb[], $7::bigint[])
       as t (email, phone, first_name, last_name, zone, fields, id)
     where p.id = t.id`,
    [
      ...columns(
        people.map((p) => withJson(p.row)),
        PERSON
      ),
      people.map((p) => p.person),
      at
    ]
  );
}

/** A file never turns a withdrawn consent into a given one; how many it would have. */
async function saveConsents(db: Db, people: Person[], at: string | null): Promise<number> {
  const rows = people.flatMap(({ row, person }) =>
    (['email', 'sms'] as const).flatMap((channel) => {
      const state = row[`consent_${channel}`];
      return state ? [{ person, channel, state }] : [];
    })
  );
  if (!rows.length) return 0;
  const { rowCount } = await db.query(
    `insert into consents (person_id, channel, state, at, source)
     select person_id, channel, state, $4, 'import' from unnest($1::bigint[], $2::text[], $3::text[]) as t (person_id, channel, state)
     on conflict (person_id, channel) do update
     set state = excluded.state, at = excluded.at, source = excluded.source
     where consents.state <> 'withdrawn' or excluded.state = 'withdrawn'`,
    [...columns(rows, ['person', 'channel', 'state']), at]
  );
  return rows.length - (rowCount ?? 0);
}

async function saveLabels(
  db: Db,
  people: Person[],
  at: string | null,
  options: { importId: string; begins: boolean }
): Promise<void> {
  const labelled = people.filter(({ row }) => row.tags.length || row.lists.length);
  if (!labelled.length) return;
  if (options.begins) {
    // Through the inbox, like every change from outside, so that journeys hear of it.
    await db.query(
      `insert into happenings (person_id, name, at, source, source_id, data)
       select person_id, 'set', $4, 'import', source_id, data
       from unnest($1::bigint[], $2::text[], $3::jsonb[]) with ordinality as t (person_id, source_id, data, place)
       order by place
       on conflict do nothing`,
      [
        labelled.map((p) => p.person),
        labelled.map((p) => `${options.importId}/${p.row.line}`),
        labelled.map((p) => JSON.stringify({ addTags: p.row.tags, addLists: p.row.lists })),
        at
      ]
    );
    return;
  }
  const tags = labelled.flatMap(({ row, person }) => row.tags.map((name) => ({ person, name })));
  const lists = labelled.flatMap(({ row, person }) => row.lists.map((name) => ({ person, name })));
  await db.query(
    `insert into tags (name, created_at) select distinct name, $2::timestamptz from unnest($1::text[]) as t (name) on conflict do nothing`,
    [tags.map((t) => t.name), at]
  );
  for (const [table, column, rows] of [
    ['person_tags', 'tag', tags],
    ['person_lists', 'list', lists]
  ] as const) {
    await db.query(
      `insert into ${table} (person_id, ${column}, since)
       select person_id, name, $3 from unnest($1::bigint[], $2::text[]) as t (person_id, name) on conflict do nothing`,
      [...columns(rows, ['person', 'name']), at]
    );
  }
}
