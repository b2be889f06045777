/** What is said of a tag, list or field; taking one away where nothing breaks by it. */
import { presentName } from '../../core/journey/names.ts';
import { PERSON_COLUMNS } from '../../core/person/columns.ts';
import { SETTINGS_FORMAT, type Settings } from '../../core/settings/schema.ts';
import { compileSettings } from '../../core/settings/workspace.ts';
import { now } from '../workspace/clock.ts';
import { changed } from '../db/notify.ts';
import { longTransaction, ts, type Pool } from '../db/pool.ts';
import { afterBatches } from '../engine/claim.ts';
import { catalogueFields } from '../engine/field-names.ts';
import { readSaved } from '../workspace/settings.ts';
import { saveSettings, type SavedSettings } from '../settings/save.ts';
import { catalogue } from './catalogue.ts';
import type { Renamable } from './rename.ts';

export interface Description {
  note: string;
  optIn: 'single' | 'double' | null;
}

const empty = (text: string): string | undefined => (text.trim() === '' ? undefined : text.trim());

/** Says what a tag or list is for; makes one that is not there yet. */
export async function describe(
  pool: Pool,
  kind: 'tag' | 'list',
  name: string,
  { note, optIn }: Description,
  by: string
): Promise<SavedSettings> {
  const { settings, revision } = await readSaved(pool);
  const before: Settings = settings ?? { format: SETTINGS_FORMAT };
  const { names } = compileSettings(settings);
  if (presentName(names, kind, name) !== name)
    return { ok: false, problems: [`“${name}” is what “${presentName(names, kind, name)}” was called before.`] };
  const saved =
    kind === 'tag'
      ? {
          tags: put(before.tags ?? [], name, (t) => ({ ...t, note: empty(note) }))
        }
      : { lists: put(before.lists ?? [], name, (l) => ({ ...l, purpose: empty(note), optIn: optIn ?? undefined })) };
  const result = await saveSettings(pool, JSON.parse(JSON.stringify({ ...before, ...saved })), by, revision);
  if (result.ok && kind === 'tag')
    await pool.query('insert into tags (name, created_at) values ($1, $2) on conflict do nothing', [
      name,
      ts(await now(pool))
    ]);
  return result;
}

function put<T extends { name: string }>(all: T[], name: string, change: (of: T) => T): T[] {
  const known = all.find((e) => e.name === name) ?? ({ name } as T);
  return [...all.filter((e) => e !== known), change(known)];
}

/** Makes a field that nobody has yet. */
export async function makeField(
  pool: Pool,
  field: { name: string; type: string; options: string[] },
  by: string
): Promise<SavedSettings> {
  const { settings, revision } = await readSaved(pool);
  if ((PERSON_COLUMNS as readonly string[]).includes(field.name))
    return { ok: false, problems: [`Everybody has “${field.name}” already.`] };
  const saved = await saveSettings(
    pool,
    {
      ...(settings ?? { format: SETTINGS_FORMAT }),
      fields: [
        ...(settings?.fields ?? []),
        { name: field.name, type: field.type, ...(field.options.length ? { options: field.options } : {}) }
      ]
    },
    by,
    revision
  );
  if (saved.ok) await catalogueFields(pool, [field.name], await now(pool));
  return saved;
}

/**
 * Takes a tag, list or field away from everybody, and out of the catalogue. Refused while something goes by it, with what
 * that is.
 */
export async function remove(
  pool: Pool,
  kind: Renamable,
  name: string,
  by: string
): Promise<{ ok: true; people: number } | { ok: false; problem: string }> {
  const line = (await catalogue(pool, kind)).find((l) => l.name === name);
  if (!line) return { ok: false, problem: `There is no ${kind} “${name}”.` };
  const used = [...line.reads, ...line.sets];
  if (used.length)
    return {
      ok: false,
      problem: `“${name}” is used: ${[...new Set(used.map((u) => `${u.kind === 'journey' ? 'journey' : u.kind} “${u.name}”`))].join(', ')}. Take it out there first.`
    };
  const { settings, revision } = await readSaved(pool);
  const place = { tag: 'tags', list: 'lists', field: 'fields' } as const;
  if (settings?.[place[kind]]?.some((e) => e.name === name)) {
    const rest = (settings[place[kind]] ?? []).filter((e) => e.name !== name);
    const saved = await saveSettings(pool, { ...settings, [place[kind]]: rest }, by, revision);
    if (!saved.ok) return { ok: false, problem: saved.problems.join(' ') };
  }
  return longTransaction(pool, async (db) => {
    await afterBatches(db);
    const { rowCount } = await db.query(
      kind === 'field'
        ? 'update people set fields = fields - $1 where fields ? $1'
        : `delete from person_${kind}s where ${kind} = $1`,
      [name]
    );
    if (kind === 'tag') await db.query('delete from tags where name = $1', [name]);
    if (kind === 'field') {
      await db.query('delete from field_names where name = $1', [name]);
      await db.query('update workspace set shown_field = null where shown_field = $1', [name]);
    }
    await db.query(`insert into acts (at, by, what, detail) values ($1, $2, 'removed', $3)`, [
      ts(await now(db)),
      by,
      JSON.stringify({ kind, name, people: rowCount ?? 0 })
    ]);
    await changed(db, { people: 'many' });
    return { ok: true, people: rowCount ?? 0 };
  });
}
