/**
 * Reading a file into the database: each row looked at, refused or kept with what it would do, and the sum of it. Nothing of
 * anyone changes. Done in one transaction: broken off, the file is as if it had not been read.
 */
import { setImmediate } from 'node:timers/promises';
import type { PoolClient } from 'pg';
import { presentName, type Renamed } from '../../core/journey/names.ts';
import type { CountryCode } from 'libphonenumber-js/min';
import { longTransaction, type Pool } from '../db/pool.ts';
import { Copy } from './copy.ts';
import { openTable, type Bytes } from './csv.ts';
import { CHANGES, CONSENTS, deltaSql, KNOWN_BY, mayChange } from './delta.ts';
import type { ImportPlan } from './plan.ts';
import { previewOf, type Preview, type Read } from './preview.ts';
import { hasher } from '../protection/hash.ts';
import { checkRows, isRefused, type GoodRow, type LeftOut, type Refused } from './rows.ts';

export interface Staging {
  id: number;
  plan: ImportPlan;
  header: string[];
  country: CountryCode | null;
  zone: string;
  /** Present names of labels that were called otherwise before. */
  names: Renamed;
  /** Hears how many rows were looked at. */
  tell: (rows: number) => void;
  signal?: AbortSignal | undefined;
}

const COLUMNS = [
  'line',
  'email',
  'phone',
  'first_name',
  'last_name',
  'zone',
  'fields',
  'tags',
  'lists',
  'consent_email',
  'consent_sms'
] as const;
const EVERY = 5000;

/** Reads all of a file; gives what importing it would do, or `null` where it was stopped. */
export async function stage(pool: Pool, source: Bytes, staging: Staging): Promise<Preview | null> {
  const { id, plan, signal } = staging;
  return longTransaction(pool, async (db) => {
    // The whole file is held against everybody: joined in memory instead of by way of the disk.
    await db.query(`set local work_mem = '64MB'`);
    // Two who read one file wait for each other.
    await db.query('select from imports where id = $1 for update', [id]);
    await db.query('delete from import_rows where import_id = $1', [id]);
    await db.query('delete from import_refused where import_id = $1', [id]);
    await db.query(`create temp table import_read (${READ}) on commit drop`);
    await db.query(
      `create temp table import_bad (line integer, column_name text, found text, reason text) on commit drop`
    );
    const read = await readAll(db, source, staging);
    if (!read || signal?.aborted) throw new Stopped();
    await db.query('analyze import_read (line, email, phone)');
    await match(db, plan);
    await db.query(
      `insert into import_refused (import_id, line, column_name, found, reason)
       select $1, line, column_name, found, reason from import_bad on conflict do nothing`,
      [id]
    );
    await db.query(
      `insert into import_rows (import_id, person_id, ${COLUMNS.join(', ')})
       select $1, null, ${COLUMNS.map((c) => `r.${c}`).join(', ')} from import_read r
       where not exists (select from import_known k where k.line = r.line) and not exists (select from import_bad b where b.line = r.line)
       order by line`,
      [id]
    );
    await db.query(
      `insert into import_rows (import_id, person_id, ${COLUMNS.join(', ')})
       select $1, k.person, ${COLUMNS.map((c) => `r.${c}`).join(', ')} from import_changing k join import_read r on r.line = k.line
       where ${CHANGES.replaceAll(/\b(fields|tags|lists|consent)\b/g, 'k.$1')} order by r.line`,
      [id]
    );
    // Portions are taken in the order of their lines: without statistics each would sort all that are left.
    await db.query('analyze import_rows (import_id, line)');
    const preview = await previewOf(db, id, plan, staging.header, read);
    await db.query(
      `update imports set state = 'read', plan = $2, preview = $3, total = $4, kept_withdrawn = $5, reached = 0, problem = null where id = $1`,
      [id, JSON.stringify(plan), JSON.stringify(preview), preview.made + preview.changed, preview.keptWithdrawn]
    );
    return preview;
  }).catch((error: unknown) => {
    if (error instanceof Stopped) return null;
    throw error;
  });
}

/** Nothing went wrong: somebody has stopped it. */
class Stopped extends Error {}

const READ = `line integer, email text, phone text, first_name text, last_name text, zone text, fields jsonb, tags text[],
  lists text[], consent_email text, consent_sms text`;

/** Puts the good rows into one table and the refused into another. */
async function readAll(
  db: PoolClient,
  source: Bytes,
  { plan, country, zone, names, tell, signal }: Staging
): Promise<Read | null> {
  const table = await openTable(source, plan.reading);
  const leftOut: LeftOut = new Map();
  const erased = await erasedAddresses(db);
  const bad: { line: number; column: string | null; found: string; reason: string }[] = [];
  const copy = new Copy(db, 'import_read', COLUMNS);
  let rows = 0;
  let told = 0;
  try {
    const reading = { columns: plan.columns, country, zone, misfits: plan.misfits };
    for await (const part of checkRows(table, reading, leftOut)) {
      for (const row of part) {
        const gone = isRefused(row) ? null : erased(row, plan.erased === 'take');
        if (isRefused(row)) bad.push(row);
        else if (gone) bad.push(gone);
        else await copy.put(valuesOf(row, plan, names));
      }
      rows += part.length;
      // What was written goes on its way, and others who ask this server are answered.
      await setImmediate();
      if (rows - told < EVERY) continue;
      tell((told = rows));
      if (signal?.aborted) throw new Stopped();
    }
    await copy.end();
  } catch (error) {
    copy.destroy();
    throw error;
  }
  tell(rows);
  const refused = new Copy(db, 'import_bad', ['line', 'column_name', 'found', 'reason']);
  for (const r of bad) await refused.put([r.line, r.column, r.found, r.reason]);
  await refused.end();
  return { rows, leftOut };
}

/** Tells who was erased: they are not taken in again without being asked, and where nobody may write to them not at all. */
async function erasedAddresses(db: PoolClient): Promise<(row: GoodRow, take: boolean) => Refused | null> {
  const { rows } = await db.query<{ hash: string; suppressed: string | null }>(
    `select encode(hash, 'hex') as hash, suppressed from erased`
  );
  if (!rows.length) return () => null;
  const known = new Map(rows.map((r) => [r.hash, r.suppressed]));
  const hash = await hasher(db);
  return ({ line, email, phone }, take) => {
    for (const address of [email, phone]) {
      const suppressed = address === null ? undefined : known.get(hash(address).toString('hex'));
      if (suppressed === undefined || (take && suppressed === null)) continue;
      const reason =
        suppressed === null
          ? 'this person was erased on request'
          : `this person was erased, and nobody may write to this address: ${suppressed}`;
      return { line, column: null, found: '', reason };
    }
    return null;
  };
}

const labels = (names: Renamed, kind: 'tag' | 'list', own: string[], all: string[]): string[] => {
  const present = own.concat(all).map((name) => presentName(names, kind, name));
  return present.length > 1 ? [...new Set(present)] : present;
};

const valuesOf = (
  row: GoodRow,
  { tags, lists, consent }: ImportPlan,
  names: Renamed
): (string | number | null | string[])[] => [
  row.line,
  row.email,
  row.phone,
  row.first_name,
  row.last_name,
  row.zone,
  JSON.stringify(row.fields),
  labels(names, 'tag', row.tags, tags),
  labels(names, 'list', row.lists, lists),
  stateFor(consent.email, row.consent_email, row.email),
  stateFor(consent.sms, row.consent_sms, row.phone)
];

function stateFor(way: ImportPlan['consent']['email'], own: string | null, address: string | null): string | null {
  if (way === 'file') return own;
  return way === 'none' || address === null ? null : way;
}

/** Lines with a label that the person has not yet. */
const lacking = (which: 'tag' | 'list'): string =>
  `select k.line from import_known k join import_read r on r.line = k.line cross join unnest(r.${which}s) as l
   left join person_${which}s x on x.person_id = k.person and x.${which} = l where x.person_id is null`;

/** Finds who is known: by email, else by phone. Whoever cannot be told apart is refused. */
async function match(db: PoolClient, plan: ImportPlan): Promise<void> {
  await db.query(`
    create temp table import_known on commit drop as
    select m.line, coalesce(m.a, m.b) as person, m.email, m.phone,
      m.b is not null and m.b is distinct from m.a and m.email is not null and (m.a is not null or m.other is not null) as clash,
      min(m.line) over (partition by coalesce(m.a, m.b)) as first
    from (
      select r.line, r.email, r.phone, e.id as a, f.id as b, f.email as other
      from import_read r
      ${KNOWN_BY}
      where e.id is not null or f.id is not null
    ) m`);
  await db.query('analyze import_known (line, person)');
  await db.query(`
    insert into import_bad
    select line, null, case when clash then phone else coalesce(email, phone) end,
      case when clash then 'this phone number belongs to someone with another email'
        else 'this is the person of line ' || first || ', by another address' end
    from import_known where clash or line <> first`);
  await db.query(
    plan.known === 'leave'
      ? `create temp table import_changing on commit drop as
         select line, person, '{}'::jsonb as fields, '{}'::jsonb as was, '{}'::text[] as tags, '{}'::text[] as lists,
           '{}'::jsonb as consent, '{}'::jsonb as consent_was, 0 as kept from import_known where not clash and line = first`
      : `create temp table import_changing on commit drop as
         select r.line, p.id as person, ${deltaSql(plan.known)}
         from import_known k join import_read r on r.line = k.line join people p on p.id = k.person ${CONSENTS}
         where not k.clash and k.line = k.first and (${mayChange(`${lacking('tag')} union ${lacking('list')}`)})`
  );
}
