/** Saved segments: one put into the settings, or taken out, beside whatever else they hold. */
import { eachCondition } from '../../core/condition/evaluate.ts';
import type { Condition } from '../../core/condition/schema.ts';
import { SETTINGS_FORMAT } from '../../core/settings/schema.ts';
import { needsOf } from '../../core/journey/needs.ts';
import type { Journey } from '../../core/journey/schema.ts';
import type { Db, Pool } from '../db/pool.ts';
import { readSaved } from '../workspace/settings.ts';
import { saveSettings, type SavedSettings } from './save.ts';

export interface SegmentLine {
  name: string;
  when: Condition;
  /** Who is in it, as it is kept; more are not counted. */
  members: number;
  more: boolean;
  /** What goes by it. */
  usedIn: { kind: 'journey' | 'segment'; name: string; key: string }[];
}

const MOST_COUNTED = 10_000;

export async function segmentLines(db: Db): Promise<{ segments: SegmentLine[]; revision: number }> {
  const { settings, revision } = await readSaved(db);
  const segments = settings?.segments ?? [];
  if (!segments.length) return { segments: [], revision };
  const { rows: journeys } = await db.query<{ key: string; name: string; draft: Journey; document: Journey | null }>(
    `select j.key, j.name, j.draft, v.document from journeys j
     left join versions v on v.journey_id = j.id and v.number = j.live_version
     where j.state <> 'archived' and (j.draft::text like '%"segment"%' or v.document::text like '%"segment"%')`
  );
  const { rows: counts } = await db.query<{ name: string; n: number }>(
    `select s.name, (select count(*) from (select from person_segments m where m.segment = s.name limit ${MOST_COUNTED + 1}) as m) as n
     from unnest($1::text[]) as s (name)`,
    [segments.map((s) => s.name)]
  );
  const members = new Map(counts.map((c) => [c.name, c.n]));
  return {
    revision,
    segments: segments.map(({ name, when }) => ({
      name,
      when,
      members: Math.min(members.get(name) ?? 0, MOST_COUNTED),
      more: (members.get(name) ?? 0) > MOST_COUNTED,
      usedIn: [
        ...journeys
          .filter((j) => [j.draft, j.document].some((d) => d && needsOf(d).segments.includes(name)))
          .map((j) => ({ kind: 'journey' as const, name: j.name, key: j.key })),
        ...segments
          .filter((s) => eachCondition(s.when).some((c) => 'segment' in c && c.segment === name))
          .map((s) => ({ kind: 'segment' as const, name: s.name, key: s.name }))
      ]
    }))
  };
}

/** Saves a segment under a name: a new one, or what it asks from now on. `revision`: the settings it was made from. */
export async function saveSegment(
  pool: Pool,
  segment: { name: string; when: Condition },
  revision: number,
  by: string
): Promise<SavedSettings> {
  const { settings } = await readSaved(pool);
  const before = settings?.segments ?? [];
  const known = before.some((s) => s.name === segment.name);
  const segments = known ? before.map((s) => (s.name === segment.name ? segment : s)) : [...before, segment];
  return saveSettings(pool, { ...(settings ?? { format: SETTINGS_FORMAT }), segments }, by, revision);
}

/** Takes a segment out; refused, with what it breaks, while something goes by it. */
export async function removeSegment(pool: Pool, name: string, revision: number, by: string): Promise<SavedSettings> {
  const { settings } = await readSaved(pool);
  const used = (await segmentLines(pool)).segments.find((s) => s.name === name)?.usedIn ?? [];
  if (used.length)
    return { ok: false, problems: [`“${name}” is used: ${used.map((u) => `${u.kind} “${u.name}”`).join(', ')}.`] };
  if (!settings) return { ok: false, problems: ['There is no such segment.'] };
  return saveSettings(
    pool,
    { ...settings, segments: (settings.segments ?? []).filter((s) => s.name !== name) },
    by,
    revision
  );
}
