/** Who may have joined or left a segment by the clock alone: asked of the database, so that the core looks at those and no others. */
import { conditionSql, type AskedAt, type Parameters } from '../../core/condition/sql.ts';
import { isZone } from '../../core/time/civil.ts';
import type { Workspace } from '../../core/settings/workspace.ts';
import type { Db } from '../db/pool.ts';

let zones: string[] | null = null;

/** Zones that both the database and the core know, read once. */
export async function knownZones(db: Db): Promise<string[]> {
  if (!zones) {
    const { rows } = await db.query<{ name: string }>('select name from pg_timezone_names');
    zones = rows.flatMap((r) => (isZone(r.name) ? [r.name] : []));
  }
  return zones;
}

/**
 * SQL over `people p` that holds for everybody whose membership of some segment may be another at this instant than it is
 * kept: those inside who may not belong there, and those outside who may. Segments that ask of others follow those.
 */
export function mayHaveChanged(workspace: Workspace, asked: AskedAt, parameters: Parameters): string {
  const parts = workspace.segments
    .filter((segment) => segment.daily)
    .map(({ name, when }) => {
      const member = `exists (select from person_segments m where m.person_id = p.id and m.segment = ${parameters.add(name)})`;
      const [joins, stays] = (['over', 'under'] as const).map(
        (side) => conditionSql(when, side, asked, parameters).sql
      );
      return `case when ${member} then not ${stays} else ${joins} end`;
    });
  return parts.length ? `(${parts.join(' or ')})` : 'false';
}
