/** Imports as they are kept: opened from a file, planned, read, begun, stopped, taken back; what pages show of them. */
import { nameSql } from '../db/person-name.ts';
import { createHash } from 'node:crypto';
import { isDeepStrictEqual } from 'node:util';
import { isSupportedCountry, type CountryCode } from 'libphonenumber-js/min';
import type { FieldType } from '../../core/person/values.ts';
import { SETTINGS_FORMAT } from '../../core/settings/schema.ts';
import type { Renamed } from '../../core/journey/names.ts';
import { compileSettings } from '../../core/settings/workspace.ts';
import { now } from '../workspace/clock.ts';
import { changed, notify } from '../db/notify.ts';
import { ts, type Db, type Pool } from '../db/pool.ts';
import { catalogueFields } from '../engine/field-names.ts';
import { readSaved, readSettings } from '../workspace/settings.ts';
import { saveSettings } from '../settings/save.ts';
import { BadFile, guessReading, openTable, type Bytes, type Row } from './csv.ts';
import { columnSchema, openQuestions, type ColumnPlan, type ImportPlan } from './plan.ts';
import type { Preview } from './preview.ts';
import { guessColumns, presentTarget, profileOf, PROFILED, type Declared, type Profile } from './profile.ts';
import type { Reading } from './reading.ts';
import { stage } from './stage.ts';

/** Rows shown as they stand in the file. */
const SHOWN = 8;

export interface Opened {
  id: number;
  name: string;
  header: string[];
  plan: ImportPlan;
  profiles: Profile[];
  rows: Row[];
  /** When a file of this shape was last read: its matching was taken over. UTC ms. */
  remembered: number | null;
}

/** What a workspace says about how files are read. */
async function surroundings(
  db: Db
): Promise<{ country: CountryCode | null; zone: string; declared: Declared; names: Renamed }> {
  const { rows } = await db.query<{ country: string | null; zone: string }>('select country, zone from workspace');
  const country = rows[0]?.country ?? '';
  const settings = await readSettings(db);
  return {
    country: isSupportedCountry(country) ? country : null,
    zone: rows[0]?.zone ?? 'UTC',
    names: compileSettings(settings).names,
    declared: new Map((settings?.fields ?? []).map((f) => [f.name, { type: f.type, options: f.options }]))
  };
}

/** Files whose columns have the same names are of one shape, in whatever order. */
const shapeOf = (header: readonly string[]): string =>
  createHash('sha256')
    .update(JSON.stringify(header.map((h) => h.trim().toLowerCase()).sort()))
    .digest('hex');

const PLAIN: Omit<ImportPlan, 'reading' | 'columns'> = {
  known: 'update',
  misfits: 'refuse',
  tags: [],
  lists: [],
  consent: { email: 'none', sms: 'none', source: '', wording: '' },
  erased: 'refuse',
  begins: true
};

/** What columns were taken as the last time, put to those of a header; what was kept and is none any more is guessed anew. */
function remember(
  kept: Record<string, unknown>,
  header: readonly string[],
  guessed: ColumnPlan[],
  names: Renamed
): ColumnPlan[] {
  const used = new Set<string>();
  return header.map((name, i): ColumnPlan => {
    const known = columnSchema.safeParse(kept[name.trim().toLowerCase()]);
    const column = known.success
      ? { ...known.data, target: presentTarget(known.data.target, names) }
      : (guessed[i] ?? { target: 'ignore' });
    if (column.target !== 'ignore' && used.has(column.target)) return { target: 'ignore' };
    used.add(column.target);
    return column;
  });
}

/**
 * Looks into a file: how it is written, what its columns most likely are; kept as an import that nothing has come of.
 * `again`: an import of the same file that is read another way.
 * @throws {BadFile}
 */
export async function openImport(
  pool: Pool,
  file: { name: string; id: string | null; user: number | null; by: string },
  source: () => Bytes,
  again?: { id: number; reading: Reading }
): Promise<Opened> {
  await tidy(pool);
  const reading = again?.reading ?? (await guessReading(source()));
  const table = await openTable(source(), reading);
  const rows: Row[] = [];
  for await (const part of table.rows) {
    rows.push(...part.slice(0, PROFILED - rows.length));
    if (rows.length >= PROFILED) break;
  }
  const { country, declared, names } = await surroundings(pool);
  const profiles = profileOf(table.header.length, rows, country);
  const guessed = guessColumns(table.header, profiles, declared, names);
  const { rows: kept } = await pool.query<{ columns: Record<string, unknown>; used_at: number }>(
    'select columns, used_at from import_shapes where shape = $1',
    [shapeOf(table.header)]
  );
  const columns = kept[0] ? remember(kept[0].columns, table.header, guessed, names) : guessed;
  const says = (target: string): 'file' | 'none' => (columns.some((c) => c.target === target) ? 'file' : 'none');
  // Only what columns are is taken over: what happens to people, and consent, is asked of each file.
  const plan: ImportPlan = {
    ...PLAIN,
    consent: { ...PLAIN.consent, email: says('consent_email'), sms: says('consent_sms') },
    reading,
    columns
  };
  const values = [file.name, file.id, file.user, file.by, JSON.stringify(plan), table.header];
  const { rows: made } = again
    ? await pool.query<{ id: number }>(
        `update imports set plan = $1, header = $2, state = 'reading', preview = null
         where id = $3 and state in ('reading', 'read') returning id`,
        [JSON.stringify(plan), table.header, again.id]
      )
    : await pool.query<{ id: number }>(
        `insert into imports (name, file_id, user_id, asked_by, plan, header) values ($1, $2, $3, $4, $5, $6) returning id`,
        values
      );
  const [one] = made;
  if (!one) throw new BadFile('This import has begun: it cannot be read another way any more.');
  return {
    id: one.id,
    name: file.name,
    header: table.header,
    plan,
    profiles,
    rows: rows.slice(0, SHOWN),
    remembered: kept[0]?.used_at ?? null
  };
}

/** Takes away what was read a day ago and never imported. */
async function tidy(db: Db): Promise<void> {
  await db.query(
    `with old as (delete from imports where begun_at is null and created_at < clock_timestamp() - interval '1 day' returning id)
     delete from import_rows r using old where r.import_id = old.id`
  );
}

/** So many files are read at once by one web server: each is a share of its time. */
const AT_ONCE = 3;
let underway = 0;

/** Reads all of a file by a plan; what importing it would do, `null` where it was stopped. */
export async function readImport(
  pool: Pool,
  id: number,
  plan: ImportPlan,
  source: Bytes,
  tell: (rows: number) => void = () => undefined,
  signal?: AbortSignal
): Promise<Preview | null> {
  const { rows } = await pool.query<{ header: string[]; begun: boolean }>(
    `select header, begun_at is not null as begun from imports where id = $1 and state in ('reading', 'read', 'stopped')`,
    [id]
  );
  const [one] = rows;
  if (!one) throw new BadFile('This import has begun, or is not there any more.');
  if (one.header.length !== plan.columns.length)
    throw new BadFile('The matching does not fit the columns of this file.');
  const { country, zone, names } = await surroundings(pool);
  if (underway >= AT_ONCE) throw new BadFile('Other files are being read just now. Try again in a moment.');
  underway++;
  const preview = await stage(pool, source, {
    id,
    plan,
    header: one.header,
    country,
    zone,
    names,
    tell,
    signal
  }).finally(() => underway--);
  // One that had begun and lost what it had read goes on where it was.
  if (preview && one.begun)
    await pool.query(`update imports set state = 'stopped', total = total + made + updated + unchanged where id = $1`, [
      id
    ]);
  return preview;
}

export type Begun = { ok: true } | { ok: false; problem: string };

/**
 * Begins an import that was read, by the plan that was `seen`: fields that are new are declared with their types, the
 * matching is remembered, workers take it in.
 */
export async function beginImport(pool: Pool, id: number, by: string, seen?: ImportPlan): Promise<Begun> {
  const { rows } = await pool.query<{ plan: ImportPlan; header: string[]; state: string }>(
    'select plan, header, state from imports where id = $1',
    [id]
  );
  const [one] = rows;
  if (one?.state !== 'read')
    return { ok: false, problem: 'This import has begun already, or was not read to its end.' };
  if (seen && !isDeepStrictEqual(JSON.parse(JSON.stringify(seen)), one.plan))
    return { ok: false, problem: 'The file was read by another plan than the one you see. Wait until it is counted.' };
  const [question] = openQuestions(one.plan, one.header);
  if (question !== undefined) return { ok: false, problem: question };
  const declared = await declareFields(pool, one.plan, by);
  if (!declared.ok) return declared;
  const { rowCount } = await pool.query(
    `update imports set state = 'running', begun_at = $2, reached = 0 where id = $1 and state = 'read'`,
    [id, ts(await now(pool))]
  );
  if (!rowCount) return { ok: false, problem: 'Somebody else has begun this import.' };
  const columns = Object.fromEntries(one.header.map((name, i) => [name.trim().toLowerCase(), one.plan.columns[i]]));
  await pool.query(
    `insert into import_shapes (shape, columns) values ($1, $2)
     on conflict (shape) do update set columns = excluded.columns, used_at = clock_timestamp()`,
    [shapeOf(one.header), JSON.stringify(columns)]
  );
  await notify(pool, 'inbox');
  await changed(pool, { crowds: true });
  return { ok: true };
}

/** Fields that a file brings and nobody had: in the catalogue, and with their type in the settings. */
async function declareFields(pool: Pool, plan: ImportPlan, by: string): Promise<Begun> {
  const columns = plan.columns.filter((c) => c.target.startsWith('field:'));
  const named = (c: ColumnPlan): string => c.target.slice('field:'.length);
  await catalogueFields(pool, columns.map(named), await now(pool));
  const { settings, revision } = await readSaved(pool);
  const known = new Set((settings?.fields ?? []).map((f) => f.name));
  const fresh = columns.filter((c) => !known.has(named(c)) && c.type !== undefined && c.type !== 'text');
  if (!fresh.length) return { ok: true };
  const saved = await saveSettings(
    pool,
    {
      ...(settings ?? { format: SETTINGS_FORMAT }),
      fields: [
        ...(settings?.fields ?? []),
        ...fresh.map((c): { name: string; type: FieldType; options?: string[] } => ({
          name: named(c),
          type: c.type ?? 'text',
          ...(c.options ? { options: c.options } : {})
        }))
      ]
    },
    by,
    revision
  );
  return saved.ok ? { ok: true } : { ok: false, problem: saved.problems[0] ?? 'The new fields could not be made.' };
}

/** Stops an import, or lets a stopped one go on; false where it was not in a state for it. */
export async function stopImport(db: Db, id: number, stop: boolean): Promise<boolean> {
  const { rowCount } = await db.query(
    stop
      ? `update imports set state = 'stopped' where id = $1 and state in ('running')`
      : `update imports set state = 'running', problem = null where id = $1 and state = 'stopped'`,
    [id]
  );
  if (rowCount && !stop) await notify(db, 'inbox');
  await changed(db, { crowds: true });
  return rowCount === 1;
}

/** So long an import can be taken back. */
export const UNDO_DAYS = 30;

/** Takes an import back, whole or as far as it has come; false where that cannot be. */
export async function undoImport(db: Db, id: number): Promise<boolean> {
  const { rowCount } = await db.query(
    `update imports set state = 'undoing', reached = 0, worked_at = null, problem = null
     where id = $1 and state in ('done', 'stopped') and begun_at is not null
       and created_at > clock_timestamp() - interval '${UNDO_DAYS} days'`,
    [id]
  );
  if (!rowCount) return false;
  await db.query('delete from import_rows where import_id = $1', [id]);
  await notify(db, 'inbox');
  await changed(db, { crowds: true });
  return true;
}

export interface ImportLine {
  id: number;
  name: string;
  by: string;
  state: 'reading' | 'read' | 'running' | 'stopped' | 'done' | 'undoing' | 'undone';
  total: number;
  made: number;
  updated: number;
  unchanged: number;
  keptWithdrawn: number;
  removed: number;
  restored: number;
  /** People, or facts of them, that stayed when it was taken back. */
  stays: number;
  refused: number;
  problem: string | null;
  at: number;
  /** Whether it can still be taken back. */
  undoable: boolean;
  begun: boolean;
  file: string | null;
}

const LINE = `
  select i.id, i.name, i.asked_by as by, i.state, i.total, i.made, i.updated, i.unchanged, i.kept_withdrawn as "keptWithdrawn",
    i.removed, i.restored, i.problem, coalesce(i.begun_at, i.created_at) as at, i.begun_at is not null as begun, i.file_id as file,
    (select count(*) from import_stays s where s.import_id = i.id) as stays,
    (select count(*) from import_refused r where r.import_id = i.id) as refused,
    i.state in ('done', 'stopped') and i.begun_at is not null and i.created_at > clock_timestamp() - interval '${UNDO_DAYS} days' as undoable
  from imports i`;

/** The last imports that were begun. */
export async function recentImports(db: Db): Promise<ImportLine[]> {
  return (
    await db.query<ImportLine>({
      name: 'imports',
      text: `${LINE} where i.begun_at is not null order by i.id desc limit 20`
    })
  ).rows;
}

export async function importLine(db: Db, id: number): Promise<ImportLine | null> {
  return (await db.query<ImportLine>(`${LINE} where i.id = $1`, [id])).rows[0] ?? null;
}

/** What stayed when an import was taken back, and why. The first of it. */
export async function staysOf(db: Db, id: number): Promise<{ person: number; name: string; what: string }[]> {
  const { rows } = await db.query<{ person: number; name: string; what: string }>(
    `select s.person_id as person, ${nameSql()} as name, s.what
     from import_stays s join people p on p.id = s.person_id where s.import_id = $1 order by 1, 3 limit 200`,
    [id]
  );
  return rows;
}

/** An import with the file it was made from, where that is still kept. */
export async function fileOf(
  db: Db,
  id: number
): Promise<{ id: number; plan: ImportPlan; header: string[]; file: { id: string; bytes: number } } | null> {
  const { rows } = await db.query<{ plan: ImportPlan; header: string[]; file: string; bytes: number }>(
    'select i.plan, i.header, f.id as file, f.bytes from imports i join import_files f on f.id = i.file_id where i.id = $1',
    [id]
  );
  const [one] = rows;
  return one ? { id, plan: one.plan, header: one.header, file: { id: one.file, bytes: one.bytes } } : null;
}
