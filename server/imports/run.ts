/**
 * Importing: rows that were read and found good are taken in, a portion at a time, by whichever worker comes. Each portion is
 * a short transaction of set statements that holds everything it brings, and the place up to which the import has come:
 * killed at any moment, it goes on behind the last one.
 */
import { own } from '../../core/own.ts';
import { now, readClock } from '../workspace/clock.ts';
import { inboxHasRoom } from '../inbox/room.ts';
import { changed, notify } from '../db/notify.ts';
import { withKnownReferences } from '../db/bulk.ts';
import { Counts } from '../engine/count.ts';
import { requestRow } from '../inbox/request.ts';
import { isGoneMeanwhile, isNobodysFault, longTransaction, ts, type Db, type Pool } from '../db/pool.ts';
import { hasher } from '../protection/hash.ts';
import { applySilently, nameTags, wantsLooks, type SilentChange } from '../people/silently.ts';
import { CHANGES, CONSENTS, deltaSql, KNOWN_BY } from './delta.ts';
import { heardLabels, type Heard } from './heard.ts';
import type { ImportPlan } from './plan.ts';
import { lastInTurn, type Running } from './running.ts';
import { takeBack } from './undo.ts';

/** Rows of one portion: of new people, whom nobody waits for, and with those who are known, each looked at closely. */
const PORTION = 5000;

/** Takes one portion of an import that is under way, or of one that is taken back; true where there was one, or one to wait for. */
export async function workImport(pool: Pool, portion = PORTION): Promise<boolean> {
  const taken: { id: number | null } = { id: null };
  try {
    return await longTransaction(pool, async (db) => {
      const { rows } = await db.query<Running>({
        name: 'take-import',
        text: `select id, name, state, plan, total, reached, made, updated, unchanged, first_made, last_made
          from imports where state in ('running', 'undoing') order by worked_at nulls first, id limit 1 for update skip locked`
      });
      const [one] = rows;
      if (!one) return false;
      taken.id = one.id;
      return one.state === 'undoing' ? takeBack(db, one, portion) : takeIn(db, one, portion);
    });
  } catch (error) {
    // Somebody came in another way at this very moment: matched anew in a moment.
    const twice = (error as { code?: string }).code === '23505';
    if (taken.id !== null && twice) await lastInTurn(pool, taken.id);
    if (taken.id === null || twice || isNobodysFault(error) || isGoneMeanwhile(error)) throw error;
    await pool.query(
      `update imports set state = 'stopped', problem = $2 where id = $1 and state in ('running', 'undoing')`,
      [taken.id, (error as Error).message.slice(0, 300)]
    );
    await changed(pool, { crowds: true });
    return true;
  }
}

async function takeIn(db: Db, one: Running, portion: number): Promise<boolean> {
  const { id, plan, reached } = one;
  const { rows } = await db.query<{ last: number | null; n: number; known: number }>(
    `select max(line) as last, count(*) as n, count(person_id) as known from (
       select line, person_id from import_rows where import_id = $1 and line > $2 order by line limit $3) as r`,
    [id, reached, portion]
  );
  const { last = null, n = 0, known = 0 } = rows[0] ?? {};
  if (last === null) return finish(db, one);
  const looks = await wantsLooks(db);
  const heard = plan.begins ? await heardLabels(db) : { all: false, tags: [], lists: [] };
  const asks = looks || (plan.begins && (known > 0 || heard.all || heard.tags.length + heard.lists.length > 0));
  if (asks && !(await inboxHasRoom(db))) return lastInTurn(db, id);
  const at = ts(await now(db)) ?? '';
  const made = await makeNew(db, one, last, at, heard, looks);
  const updated = known || made.lost.length ? await changeKnown(db, one, last, at, made.lost) : 0;
  if (asks) await notify(db, 'inbox');
  await db.query({
    name: 'import-portion',
    text: `
      update imports set reached = $2, made = made + $3, updated = updated + $4, unchanged = unchanged + $5,
        first_made = coalesce(first_made, $6), last_made = coalesce($7, last_made), worked_at = clock_timestamp()
      where id = $1`,
    values: [id, last, made.people, updated, n - made.people - updated, made.first, made.last]
  });
  await changed(db, { people: 'many', crowds: true });
  return true;
}

/** Nothing is left of the rows; where some were never taken in, the database has lost what it had read. */
async function finish(db: Db, { id, total, made, updated, unchanged }: Running): Promise<boolean> {
  if (made + updated + unchanged < total) {
    await db.query(`update imports set state = 'stopped', problem = $2 where id = $1`, [
      id,
      'The database was started anew after a crash, and what was read of the file is gone. Read it again: who is in already is recognised.'
    ]);
  } else {
    await db.query(`update imports set state = 'done', ended_at = clock_timestamp() where id = $1`, [id]);
    await db.query('delete from import_rows where import_id = $1', [id]);
  }
  await changed(db, { people: 'many', crowds: true });
  return true;
}

interface Made {
  people: number;
  first: number | null;
  last: number | null;
  /** Lines of those who have come in another way since the file was read. */
  lost: number[];
}

/** Makes new people with all they bring: a few set statements, however many they are. */
async function makeNew(
  db: Db,
  { id, reached, plan, name }: Running,
  last: number,
  at: string,
  heard: Heard,
  looks: boolean
): Promise<Made> {
  const { rows: tags } = await db.query<{ tag: string }>(
    `select distinct unnest(tags) as tag from import_rows where import_id = $1 and line > $2 and line <= $3`,
    [id, reached, last]
  );
  await nameTags(
    db,
    tags.map((t) => t.tag),
    at
  );
  await db.query(
    `create temp table import_fresh on commit drop as
     select nextval((select pg_get_serial_sequence('people', 'id'))) as id, r.*,
       ($4::boolean and cardinality(r.tags) + cardinality(r.lists) > 0) or r.tags && $5::text[] or r.lists && $6::text[] as heard
     from (select * from import_rows where import_id = $1 and line > $2 and line <= $3 and person_id is null order by line) r`,
    [id, reached, last, heard.all, heard.tags, heard.lists]
  );
  await leaveErased(db, id);
  // Without statistics the joins below would be looked for row by row.
  await db.query('analyze import_fresh (id)');
  const made = await db.query(
    `insert into people (id, email, phone, first_name, last_name, zone, fields, created_at, updated_at, import_id)
     overriding system value
     select id, email, phone, first_name, last_name, zone, fields, $1::timestamptz, $1::timestamptz, import_id from import_fresh f
     where not exists (select from other_addresses o where o.address in (f.email, f.phone)) order by id
     on conflict do nothing`,
    [at]
  );
  const { rows: all } = await db.query<Made>(
    'select count(*) as people, min(id) as first, max(id) as last, array[]::integer[] as lost from import_fresh'
  );
  const [result] = all;
  if (!result) throw new Error('a portion of an import came to nothing');
  if ((made.rowCount ?? 0) < result.people) {
    // Somebody came another way since: their rows are those of people who are known.
    const { rows: lost } = await db.query<{ line: number }>(
      'delete from import_fresh f where not exists (select from people p where p.id = f.id) returning line'
    );
    result.lost = lost.map((r) => r.line);
    result.people -= lost.length;
  }
  await bringAll(db, plan, name, at, looks);
  await countLabels(db, at);
  await db.query('drop table import_fresh');
  return result;
}

/** Whoever was erased since the file was read is not brought back by it. */
async function leaveErased(db: Db, id: number): Promise<void> {
  const { rows } = await db.query<{ hash: string }>(
    `select encode(hash, 'hex') as hash from erased where noted_at > (select created_at from imports where id = $1)`,
    [id]
  );
  if (!rows.length) return;
  const gone = new Set(rows.map((r) => r.hash));
  const hash = await hasher(db);
  const isGone = (address: string | null): boolean => address !== null && gone.has(hash(address).toString('hex'));
  const fresh = await db.query<{ line: number; email: string | null; phone: string | null }>(
    'select line, email, phone from import_fresh'
  );
  const lines = fresh.rows.filter((r) => isGone(r.email) || isGone(r.phone)).map((r) => r.line);
  await db.query('delete from import_fresh where line = any($1::integer[])', [lines]);
}

/** All that the new people bring, from the table of them: labels, consents, and what has to go through the inbox. */
async function bringAll(db: Db, plan: ImportPlan, name: string, at: string, looks: boolean): Promise<void> {
  await withKnownReferences(db, () => bringRows(db, plan.begins, at, looks));
  if (plan.consent.email === 'none' && plan.consent.sms === 'none') return;
  await db.query(
    `insert into consents (person_id, channel, state, at, source, wording)
     select f.id, c.channel, c.state, $1::timestamptz, $2, $3 from import_fresh f
     cross join lateral (values ('email', f.consent_email), ('sms', f.consent_sms)) as c (channel, state)
     where c.state is not null`,
    [at, sourceOf(plan, name), plan.consent.wording || null]
  );
}

async function bringRows(db: Db, begins: boolean, at: string, looks: boolean): Promise<void> {
  for (const [fact, which, happening] of [
    ['tag', 'tags', 'tag_added'],
    ['list', 'lists', 'list_joined']
  ] as const) {
    const each = `from import_fresh f cross join lateral unnest(f.${which}) as l where not f.heard`;
    await db.query(`insert into person_${which} (person_id, ${fact}, since) select f.id, l, $1::timestamptz ${each}`, [
      at
    ]);
    await db.query(
      `insert into happenings (person_id, name, at, source, data, record, handled_at)
       select f.id, '${happening}', $1::timestamptz, 'import', jsonb_build_object('${fact}', l), 0, $1::timestamptz ${each}`,
      [at]
    );
  }
  await db.query(
    `insert into happenings (person_id, name, at, source, source_id, data)
     select f.id, 'set', $1::timestamptz, 'import', f.import_id || '/' || f.line, jsonb_build_object('addTags', f.tags, 'addLists', f.lists)
     from import_fresh f where f.heard`,
    [at]
  );
  if (looks)
    await db.query(
      `insert into happenings (person_id, name, at, source, data)
       select f.id, 'look', $1::timestamptz, 'import', jsonb_build_object('segments', $2::text)
       from import_fresh f where not f.heard`,
      [at, begins ? 'told' : 'silently']
    );
}

/** Counts the labels that came on without going through the inbox. */
async function countLabels(db: Db, at: string): Promise<void> {
  const { rows } = await db.query<{ kind: 'tag' | 'list'; name: string; n: number }>(
    `select kind, name, count(*) as n from (
       select 'tag' as kind, unnest(tags) as name from import_fresh where not heard
       union all select 'list', unnest(lists) from import_fresh where not heard
     ) as l group by 1, 2`
  );
  if (!rows.length) return;
  const counts = new Counts((await readClock(db)).zone);
  for (const { kind, name, n } of rows) counts.label(Date.parse(at), kind, name, true, n);
  await counts.save(db);
}

const sourceOf = ({ consent }: ImportPlan, file: string): string => `${consent.source} (${file})`.slice(0, 300);

interface Delta {
  line: number;
  person: number;
  fields: Record<string, string | number | boolean | string[]>;
  was: Record<string, unknown>;
  tags: string[];
  lists: string[];
  consent: Record<string, 'given' | 'pending' | 'withdrawn'>;
  consent_was: Record<string, string | null>;
}

/** Changes those who are known, found anew: somebody may have changed meanwhile. */
async function changeKnown(
  db: Db,
  { id, name, reached, plan }: Running,
  last: number,
  at: string,
  lost: number[]
): Promise<number> {
  if (plan.known === 'leave') return 0;
  // A few thousand are looked up, each by the index: not held against everybody, whatever is known of how many there are.
  await db.query('set local enable_hashjoin = off; set local enable_mergejoin = off');
  const { rows } = await db.query<Delta>(
    `with part as materialized (
       select * from import_rows where import_id = $1 and line > $2 and line <= $3 and (person_id is not null or line = any($4::integer[]))
     ), found as (
       select r.line, coalesce(e.id, f.id) as person from part r ${KNOWN_BY}
       where not (f.id is not null and f.id is distinct from e.id and r.email is not null and (e.id is not null or f.email is not null))
     )
     select d.* from (
       select r.line, p.id as person, ${deltaSql(plan.known)}
       from found x join part r on r.line = x.line join people p on p.id = x.person ${CONSENTS}
     ) as d where ${CHANGES} order by line`,
    [id, reached, last, lost]
  );
  await db.query('set local enable_hashjoin to default; set local enable_mergejoin to default');
  // One row for a person, as when the file was read.
  const changing = [...new Map(rows.map((r) => [r.person, r])).values()];
  if (!changing.length) return 0;
  const proof = { source: sourceOf(plan, name), wording: plan.consent.wording || null };
  if (plan.begins)
    await db.query(
      `insert into happenings (person_id, name, at, source, source_id, data)
       select person_id, 'set', $4::timestamptz, 'import', source_id, data
       from unnest($1::bigint[], $2::text[], $3::jsonb[]) with ordinality as t (person_id, source_id, data, place)
       order by place on conflict do nothing`,
      [
        changing.map((c) => c.person),
        changing.map((c) => `${id}/${c.line}`),
        changing.map(
          (c) =>
            requestRow('set', {
              fields: c.fields,
              addTags: c.tags,
              addLists: c.lists,
              consent: c.consent,
              ...(Object.keys(c.consent).length ? { proof } : {})
            }).data
        ),
        at
      ]
    );
  else {
    await applySilently(
      db,
      changing.map((c): SilentChange => ({
        person: c.person,
        fields: c.fields,
        addTags: c.tags,
        addLists: c.lists,
        consent: c.consent
      })),
      at,
      'import',
      proof
    );
  }
  await db.query(
    `insert into import_changes (import_id, person_id, before, after)
     select $1, * from unnest($2::bigint[], $3::jsonb[], $4::jsonb[])
     on conflict (import_id, person_id) do update
     set before = excluded.before || import_changes.before, after = import_changes.after || excluded.after`,
    [
      id,
      changing.map((c) => c.person),
      changing.map((c) => JSON.stringify(beforeOf(c))),
      changing.map((c) => JSON.stringify({ fields: c.fields, tags: c.tags, lists: c.lists, consent: c.consent }))
    ]
  );
  return changing.length;
}

/** What was there before, of what changes. */
const beforeOf = ({ fields, was, consent, consent_was }: Delta): object => ({
  fields: Object.fromEntries(Object.keys(fields).map((name) => [name, own(was, name) ?? null])),
  consent: Object.fromEntries(Object.keys(consent).map((channel) => [channel, consent_was[channel] ?? null]))
});
