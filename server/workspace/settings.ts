/**
 * What all journeys of the workspace share: its settings, kept as one document, compiled once an edition by whoever works
 * with them. Rules: docs/journey-language.md, "Settings of the workspace".
 */
import type { Rebuilt } from '../../core/engagement/rebuild.ts';
import { settingsSchema, type Settings } from '../../core/settings/schema.ts';
import { compileSettings, type Workspace } from '../../core/settings/workspace.ts';
import type { Db } from '../db/pool.ts';

/** Settings as workers go by them. */
export interface SharedSettings {
  /** Counts saves. */
  revision: number;
  workspace: Workspace;
  /** Counts changes of segments: whoever was held against an earlier edition is held against this one. */
  segments: number;
  /** By model (`score NAME`) and ladder (`ladder NAME`), the save that changed it last. */
  models: ReadonlyMap<string, number>;
  /** The latest of these; 0 for none. */
  engagement: number;
  /** When they were saved, UTC ms: decay of points that were there before is counted from here. */
  since: number;
}

interface Row {
  settings: unknown;
  settings_revision: number;
  segments_revision: number;
  engagement: Record<string, number>;
  settings_saved_at: number | null;
  zone: string;
}

/** Compiled settings, by their revision: kept while nobody saves new ones. */
export class SettingsBook {
  private known: SharedSettings | null = null;

  async read(db: Db): Promise<SharedSettings> {
    const { rows } = await db.query<{ settings_revision: number }>({
      name: 'settings-revision',
      text: 'select settings_revision from workspace'
    });
    if (this.known && this.known.revision === rows[0]?.settings_revision) return this.known;
    const full = await db.query<Row>({
      name: 'settings',
      text: 'select settings, settings_revision, segments_revision, engagement, settings_saved_at, zone from workspace'
    });
    const row = full.rows[0];
    if (!row) throw new Error('the workspace is not set up: run "npm run demo"');
    this.known = {
      revision: row.settings_revision,
      workspace: compileSettings(row.settings === null ? null : settingsSchema.parse(row.settings), row.zone),
      segments: row.segments_revision,
      models: new Map(Object.entries(row.engagement)),
      engagement: Math.max(0, ...Object.values(row.engagement)),
      since: row.settings_saved_at ?? -Infinity
    };
    return this.known;
  }
}

/** The settings as a document; `null` where none were saved yet. */
export async function readSettings(db: Db): Promise<Settings | null> {
  return (await readSaved(db)).settings;
}

/** The settings, and how often they were saved: whoever saves says on which state. */
export async function readSaved(db: Db): Promise<{ settings: Settings | null; revision: number }> {
  const { rows } = await db.query<{ settings: unknown; settings_revision: number }>(
    'select settings, settings_revision from workspace'
  );
  const [row] = rows;
  return { settings: row?.settings ? settingsSchema.parse(row.settings) : null, revision: row?.settings_revision ?? 0 };
}

/** Models and ladders that were changed after an edition. */
export function modelsSince({ models }: Pick<SharedSettings, 'models'>, edition: number): Rebuilt {
  const names = (kind: string): Set<string> =>
    new Set(
      [...models].flatMap(([name, at]) =>
        at > edition && name.startsWith(`${kind} `) ? [name.slice(kind.length + 1)] : []
      )
    );
  return { scores: names('score'), ladders: names('ladder') };
}
