/** Saving the settings of the workspace: what is wrong is refused with its place; what hangs on them is looked at anew. */
import { isDeepStrictEqual } from 'node:util';
import { hasMoreParts, MOST_RULE_PARTS } from '../../core/journey/depth.ts';
import { MOST_PARTS } from '../../core/journey/size.ts';
import { settingsProblems } from '../../core/journey/references.ts';
import { schemaProblems, pathText } from '../../core/journey/problems.ts';
import { settingsSchema, type Settings } from '../../core/settings/schema.ts';
import { compileSettings } from '../../core/settings/workspace.ts';
import { happeningsOf } from '../../core/settings/heard.ts';
import { askCrowd, countCrowd } from '../crowds/crowds.ts';
import { changed } from '../db/notify.ts';
import { transaction, ts, type Pool } from '../db/pool.ts';
import { now } from '../workspace/clock.ts';

/** The rules of segments in a document that was not read yet. */
function rulesOf(given: unknown): unknown[] {
  const { segments } = (typeof given === 'object' && given !== null ? given : {}) as { segments?: unknown };
  return Array.isArray(segments)
    ? segments.map((s: unknown) => (typeof s === 'object' && s !== null && 'when' in s ? s.when : null))
    : [];
}

export type SavedSettings = { ok: true } | { ok: false; problems: string[] };

/**
 * Saves settings that are given as a document; says what is wrong with them where they are not right. `revision`: the state
 * they were changed from; where somebody else has saved since, nothing is. Absent: whatever is there is replaced.
 */
export async function saveSettings(pool: Pool, given: unknown, by: string, revision?: number): Promise<SavedSettings> {
  if (hasMoreParts(given, MOST_PARTS) || rulesOf(given).some((rule) => hasMoreParts(rule, MOST_RULE_PARTS)))
    return { ok: false, problems: [`segments: expected rules of at most ${MOST_RULE_PARTS} parts each`] };
  const read = settingsSchema.safeParse(given);
  if (!read.success)
    return { ok: false, problems: schemaProblems(read.error, given).map((p) => `${pathText(p.path)}: ${p.message}`) };
  const settings = read.data;
  const broken = settingsProblems(settings, compileSettings(settings).types);
  if (broken.length) return { ok: false, problems: broken.map((p) => `${pathText(p.path)}: ${p.message}`) };
  // Counted before the workspace's row is held, which the brake and the clock change as well.
  const everybody = await countCrowd(pool, { kind: 'look' });
  return transaction(pool, async (db): Promise<SavedSettings> => {
    const { rows } = await db.query<{ settings: Settings | null; settings_revision: number }>(
      'select settings, settings_revision from workspace for update'
    );
    if (revision !== undefined && revision !== rows[0]?.settings_revision)
      return {
        ok: false,
        problems: [
          'Somebody else has saved settings since you opened this page. Nothing was saved: copy what is yours, and open it again.'
        ]
      };
    const other = !isDeepStrictEqual(rows[0]?.settings?.segments ?? [], settings.segments ?? []);
    const models = changedModels(rows[0]?.settings ?? null, settings);
    await db.query(
      `update workspace set settings = $1, settings_revision = settings_revision + 1, settings_saved_at = $2,
         segments_revision = segments_revision + $3::integer, settings_hears = $4,
         engagement = engagement || (select coalesce(jsonb_object_agg(name, settings_revision + 1), '{}') from unnest($5::text[]) as t (name))`,
      [JSON.stringify(settings), ts(await now(db)), other || models.length ? 1 : 0, [...happeningsOf(settings)], models]
    );
    // Whoever is in a segment now, or stands on another rung, does so without anything having happened; to know, everyone
    // is looked at once.
    if (other || models.length) await askCrowd(db, { kind: 'look', by }, everybody);
    await changed(db, {});
    return { ok: true };
  });
}

/** Score models and ladders that are not what they were. Points of a model that is gone stay; rungs of a ladder do not. */
function changedModels(before: Settings | null, after: Settings): string[] {
  const changed = <T extends { name: string }>(kind: string, a: readonly T[] = [], b: readonly T[] = []): string[] => {
    const was = new Map(a.map((m) => [m.name, m]));
    return b.filter((m) => !isDeepStrictEqual(was.get(m.name), m)).map((m) => `${kind} ${m.name}`);
  };
  const gone = (before?.ladders ?? []).filter((l) => !after.ladders?.some((m) => m.name === l.name));
  return [
    ...changed('score', before?.scores, after.scores),
    ...changed('ladder', before?.ladders, after.ladders),
    ...gone.map((l) => `ladder ${l.name}`)
  ];
}
