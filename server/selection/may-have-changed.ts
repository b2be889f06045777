/** Who may have joined or left a segment by the clock alone: asked of the database, so that the core looks at those and no others. */
import { conditionSql, Parameters, type AskedAt } from '../../core/condition/sql.ts';
import { isZone, zoneOffset } from '../../core/time/civil.ts';
import type { Workspace } from '../../core/settings/workspace.ts';
import { now } from '../workspace/clock.ts';
import type { Db } from '../db/pool.ts';

let zones: Promise<string[]> | null = null;
/** Zones looked at in one go: to know whether the core knows one takes milliseconds, and there are over a thousand: 1 to 2.6 s. */
const AT_ONCE = 20;

/** Zones that both the database and the core know, read once; others get their turn meanwhile. */
export function knownZones(db: Db): Promise<string[]> {
  return (zones ??= readZones(db).catch((error: unknown) => {
    zones = null;
    throw error;
  }));
}

async function readZones(db: Db): Promise<string[]> {
  const { rows } = await db.query<{ name: string }>('select name from pg_timezone_names');
  const known: string[] = [];
  const at = await now(db);
  for (let i = 0; i < rows.length; i += AT_ONCE) {
    for (const { name } of rows.slice(i, i + AT_ONCE)) {
      if (!isZone(name)) continue;
      known.push(name);
      // What is asked about days needs it of every zone: looked up here, nobody is held up there.
      zoneOffset(name, at);
    }
    await new Promise((resolve) => setImmediate(resolve));
  }
  return known;
}

interface Made {
  sql: string;
  values: unknown[];
}
/** The last that was made for these settings: a crowd asks the same of one portion after another. */
const made = new WeakMap<Workspace, Made & { at: number; behind: number }>();

/**
 * SQL over `people p` that holds for everybody whose membership of some segment may be another at this instant (UTC ms) than
 * it is kept: those inside who may not belong there, and those outside who may. Segments that ask of others follow those. Its
 * parameters come behind so many others.
 */
export async function mayHaveChanged(db: Db, workspace: Workspace, at: number, behind: number): Promise<Made> {
  const before = made.get(workspace);
  if (before?.at === at && before.behind === behind) return before;
  const asked: AskedAt = { at, workspace, zones: await knownZones(db) };
  const parameters = new Parameters(new Array<unknown>(behind));
  const parts = workspace.segments
    .filter((segment) => segment.daily)
    .map(({ name, when }) => {
      const member = `exists (select from person_segments m where m.person_id = p.id and m.segment = ${parameters.add(name)})`;
      const [joins, stays] = (['over', 'under'] as const).map(
        (side) => conditionSql(when, side, asked, parameters).sql
      );
      return `case when ${member} then not ${stays} else ${joins} end`;
    });
  const now = {
    at,
    behind,
    sql: parts.length ? `(${parts.join(' or ')})` : 'false',
    values: parameters.values.slice(behind)
  };
  made.set(workspace, now);
  return now;
}
