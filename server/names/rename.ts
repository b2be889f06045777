/**
 * Tags, lists and fields called otherwise, or made one with another: everywhere in one act. Documents that were made before
 * keep the former name, which goes on being known (core/journey/names.ts); drafts and settings say the new one.
 *
 * Done while no batch of the engine is under way, in one transaction: no walk sees half of it. What that costs is in
 * docs/decisions/0032-names.md.
 */
import { presentName, renamed, type NameKind, type Renamed } from '../../core/journey/names.ts';
import { PERSON_COLUMNS } from '../../core/person/columns.ts';
import type { Journey } from '../../core/journey/schema.ts';
import { SETTINGS_FORMAT, settingsSchema, type Settings } from '../../core/settings/schema.ts';
import { compileSettings } from '../../core/settings/workspace.ts';
import { settingsProblems } from '../../core/journey/references.ts';
import { now } from '../workspace/clock.ts';
import { changed, notify } from '../db/notify.ts';
import { longTransaction, ts, type Db, type Pool } from '../db/pool.ts';
import { afterBatches } from '../engine/claim.ts';

export type Renamable = Exclude<NameKind, 'segment'>;
export const RENAMABLE = ['tag', 'list', 'field'] as const satisfies readonly Renamable[];
const PLACE = { tag: 'tags', list: 'lists', field: 'fields' } as const;

export type RenamedResult = { ok: true; people: number; drafts: number } | { ok: false; problem: string };

/** A refusal that takes everything back. */
class Refused extends Error {}

export async function rename(
  pool: Pool,
  kind: Renamable,
  from: string,
  to: string,
  by: string
): Promise<RenamedResult> {
  if (from === to) return { ok: false, problem: 'It is called so already.' };
  if (kind === 'field' && [from, to].some((n) => (PERSON_COLUMNS as readonly string[]).includes(n)))
    return { ok: false, problem: 'Email, phone, names and time zone are everybody’s own: they stay as they are.' };
  try {
    return await longTransaction(pool, async (db) => {
      await afterBatches(db);
      const saved = (lock: string): Promise<{ rows: { settings: unknown; settings_revision: number }[] }> =>
        db.query<{ settings: unknown; settings_revision: number }>(
          `select settings, settings_revision from workspace ${lock}`
        );
      const { rows } = await saved('');
      const before: Settings = rows[0]?.settings ? settingsSchema.parse(rows[0].settings) : { format: SETTINGS_FORMAT };
      if (presentName(compileSettings(before).names, kind, from) !== from)
        throw new Refused(`“${from}” is called otherwise already.`);
      const next = withName(before, kind, from, to);
      const [problem] = settingsProblems(next, compileSettings(next).types);
      if (problem) throw new Refused(problem.message);
      // Going through people takes long: the rows that the brake changes are held only after it.
      const people = kind === 'field' ? await moveField(db, from, to) : await moveLabel(db, kind, from, to);
      if ((await saved('for no key update')).rows[0]?.settings_revision !== rows[0]?.settings_revision)
        throw new Refused('Somebody else has saved settings meanwhile. Nothing was changed: try again.');
      if (kind === 'field') await db.query('update workspace set shown_field = $2 where shown_field = $1', [from, to]);
      await db.query(`update workspace set settings = $1, settings_revision = settings_revision + 1`, [
        JSON.stringify(next)
      ]);
      const drafts = await renameDrafts(db, { [kind]: new Map([[from, to]]) }, by);
      const at = ts(await now(db));
      await db.query(`insert into acts (at, by, what, detail) values ($1, $2, 'renamed', $3)`, [
        at,
        by,
        JSON.stringify({ kind, from, to, people })
      ]);
      await changed(db, { people: 'many', journeys: drafts });
      await notify(db, 'inbox');
      return { ok: true, people, drafts: drafts.length };
    });
  } catch (error) {
    if (error instanceof Refused) return { ok: false, problem: error.message };
    throw error;
  }
}

/** Settings in which something is called otherwise; where there is one of that name, both are one, and what is said of that one stands. */
function withName(settings: Settings, kind: Renamable, from: string, to: string): Settings {
  const place = PLACE[kind];
  const all: { name: string; formerly?: string[] | undefined }[] = settings[place] ?? [];
  const old = all.find((e) => e.name === from);
  const target = all.find((e) => e.name === to) ?? { ...old, name: to };
  const formerly = [...new Set([...(target.formerly ?? []), ...(old?.formerly ?? []), from])].filter((n) => n !== to);
  if (kind === 'field') {
    const [a, b] = [old, all.find((e) => e.name === to)].map(
      (e) => (e as { type?: string } | undefined)?.type ?? 'text'
    );
    if (all.some((e) => e.name === to) && a !== b)
      throw new Refused(`“${from}” is of type ${a} and “${to}” of type ${b}: make them alike first.`);
  }
  const rest = all.filter((e) => e.name !== from && e.name !== to);
  const entry = { ...(kind === 'field' ? { type: 'text' as const } : {}), ...target, formerly };
  return { ...renamed(settings, { [kind]: new Map([[from, to]]) }), [place]: [...rest, entry] } as Settings;
}

/** Drafts say the new name; whoever has one open gets it as a change of somebody else's. Ids of those that changed. */
async function renameDrafts(db: Db, names: Renamed, by: string): Promise<number[]> {
  const { rows } = await db.query<{ id: number; draft: Journey }>(
    `select id, draft from journeys where state <> 'archived' order by id for no key update`
  );
  const changes = rows.flatMap(({ id, draft }) => {
    const next = renamed(draft, names);
    return next === draft ? [] : [{ id, draft: JSON.stringify(next) }];
  });
  if (changes.length)
    await db.query(
      `update journeys j set draft = t.draft, draft_revision = draft_revision + 1, draft_saved_at = $3, draft_saved_by = $4
       from unnest($1::bigint[], $2::jsonb[]) as t (id, draft) where j.id = t.id`,
      [changes.map((c) => c.id), changes.map((c) => c.draft), ts(await now(db)), by]
    );
  return changes.map((c) => c.id);
}

async function moveLabel(db: Db, kind: 'tag' | 'list', from: string, to: string): Promise<number> {
  const table = `person_${kind}s`;
  await db.query(
    `insert into ${table} (person_id, ${kind}, since) select person_id, $2, since from ${table} where ${kind} = $1
     on conflict (person_id, ${kind}) do update set since = least(${table}.since, excluded.since)`,
    [from, to]
  );
  const { rowCount } = await db.query(`delete from ${table} where ${kind} = $1`, [from]);
  if (kind === 'tag') {
    await db.query(
      `insert into tags (name, created_at) select $2, coalesce((select created_at from tags where name = $1), now()) on conflict do nothing`,
      [from, to]
    );
    await db.query('delete from tags where name = $1', [from]);
  }
  return rowCount ?? 0;
}

/** A value that somebody has under both names stays as the other one has it. */
async function moveField(db: Db, from: string, to: string): Promise<number> {
  const { rowCount } = await db.query(
    `update people set fields = jsonb_build_object($2::text, fields -> $1::text) || (fields - $1::text) where fields ? $1::text`,
    [from, to]
  );
  await db.query(
    `insert into field_names (name, since) select $2, coalesce((select since from field_names where name = $1), now()) on conflict do nothing`,
    [from, to]
  );
  await db.query('delete from field_names where name = $1', [from]);
  return rowCount ?? 0;
}
