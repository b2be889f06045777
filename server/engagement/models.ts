/** Ladders and score models one by one: where each is used, changed or taken away among the settings, and how far everybody is worked out anew. */
import { usesEngaged, type Engaged } from '../../core/engagement/uses.ts';
import { settingsProblems } from '../../core/journey/references.ts';
import { pathText, schemaProblems } from '../../core/journey/problems.ts';
import {
  SETTINGS_FORMAT,
  settingsSchema,
  type LadderSettings,
  type ScoreSettings,
  type Settings
} from '../../core/settings/schema.ts';
import { compileSettings } from '../../core/settings/workspace.ts';
import type { Db, Pool } from '../db/pool.ts';
import { readSaved } from '../workspace/settings.ts';
import { saveSettings, type SavedSettings } from '../settings/save.ts';

export type Model = { kind: 'ladder'; definition: LadderSettings } | { kind: 'score'; definition: ScoreSettings };
export type ModelKind = Model['kind'];
export const MODEL_KINDS = ['ladder', 'score'] as const satisfies readonly ModelKind[];

export interface ModelUse {
  kind: 'journey' | 'segment' | 'score' | 'ladder';
  key: string;
  name: string;
}

export const PLACE = { ladder: 'ladders', score: 'scores' } as const;

export const modelOf = (settings: Settings | null, kind: ModelKind, name: string): Model | null => {
  const definition = settings?.[PLACE[kind]]?.find((m) => m.name === name);
  return definition ? ({ kind, definition } as Model) : null;
};

const engagedOf = ({ kind, definition }: Model): Engaged => ({
  kind,
  name: definition.name,
  rungs: kind === 'ladder' ? [...definition.rungs.map((r) => r.name), definition.after] : []
});

/** Where a model is read or set: journeys as drafts and as people walk them, segments, and other models. */
export async function usesOf(db: Db, settings: Settings | null, model: Model): Promise<ModelUse[]> {
  const of = engagedOf(model);
  const uses: ModelUse[] = [];
  for (const segment of settings?.segments ?? [])
    if (usesEngaged(segment.when, of)) uses.push({ kind: 'segment', key: segment.name, name: segment.name });
  for (const kind of MODEL_KINDS)
    for (const other of settings?.[PLACE[kind]] ?? []) {
      if (kind === model.kind && other.name === model.definition.name) continue;
      if (usesEngaged('rules' in other ? other.rules : other.counts, of))
        uses.push({ kind, key: other.name, name: other.name });
    }
  const { rows } = await db.query<{ key: string; name: string; documents: unknown[] }>(
    `select j.key, j.name, array_prepend(j.draft, array(
       select v.document from versions v where v.journey_id = j.id and (v.number = j.live_version
         or exists (select from walks w where w.journey_id = j.id and w.version = v.number and w.state = 'walking')))) as documents
     from journeys j where j.state <> 'archived' order by lower(j.name), j.key`
  );
  for (const { key, name, documents } of rows)
    if (documents.some((d) => usesEngaged(d, of))) uses.push({ kind: 'journey', key, name });
  return uses;
}

export type Changed = { ok: true; settings: Settings } | { ok: false; problems: string[] };

/** Settings with a model as it is given, in the place of the one of its name; says what is wrong with it. */
export function withModel(before: Settings | null, kind: ModelKind, definition: unknown): Changed {
  const settings: Settings = before ?? { format: SETTINGS_FORMAT };
  const all = settings[PLACE[kind]] ?? [];
  const name = (definition as { name?: unknown } | null)?.name;
  const at = all.findIndex((m) => m.name === name);
  const index = at < 0 ? all.length : at;
  const given = { ...settings, [PLACE[kind]]: [...all.slice(0, index), definition, ...all.slice(index + 1)] };
  const own = `${PLACE[kind]}[${index}]`;
  const said = (path: (string | number)[], message: string): string =>
    `${pathText(path).replace(own, '').replace(/^\./, '')}: ${message}`.replace(/^: /, '');
  const read = settingsSchema.safeParse(given);
  if (!read.success)
    return { ok: false, problems: schemaProblems(read.error, given).map((p) => said(p.path, p.message)) };
  const broken = settingsProblems(read.data, compileSettings(read.data).types);
  if (broken.length) return { ok: false, problems: broken.map((p) => said(p.path, p.message)) };
  return { ok: true, settings: read.data };
}

/** Saves a model as it was changed from a state of the settings. */
export async function saveModel(
  pool: Pool,
  kind: ModelKind,
  definition: unknown,
  by: string,
  revision: number
): Promise<SavedSettings> {
  const { settings } = await readSaved(pool);
  const changed = withModel(settings, kind, definition);
  return changed.ok ? saveSettings(pool, changed.settings, by, revision) : changed;
}

/** Takes a model away, where nothing goes by it. */
export async function removeModel(
  pool: Pool,
  kind: ModelKind,
  name: string,
  by: string,
  revision: number
): Promise<SavedSettings> {
  const { settings } = await readSaved(pool);
  const model = modelOf(settings, kind, name);
  if (!settings || !model) return { ok: false, problems: ['It is gone already.'] };
  const uses = await usesOf(pool, settings, model);
  if (uses.length)
    return {
      ok: false,
      problems: [`It is used by ${uses.map((u) => u.name).join(', ')}: it can go once nothing uses it.`]
    };
  const rest = (settings[PLACE[kind]] ?? []).filter((m) => m.name !== name);
  return saveSettings(pool, { ...settings, [PLACE[kind]]: rest }, by, revision);
}

/** How far everybody is looked at: since models or segments were changed, or for a midnight; `null` where that is done. */
export async function lookingAt(
  db: Db,
  kinds: ('look' | 'midnight')[] = ['look']
): Promise<{ asked: number; total: number } | null> {
  const { rows } = await db.query<{ asked: number; total: number }>(
    `select asked, total from crowds where kind = any($1::text[]) and state = 'running' and people is null order by id desc limit 1`,
    [kinds]
  );
  return rows[0] ?? null;
}
