/** Which journeys let people in by what an import changes. */
import type { HappeningFilter } from '../../core/condition/happening.ts';
import { presentName, renamed } from '../../core/journey/names.ts';
import { compileSettings } from '../../core/settings/workspace.ts';
import type { Db } from '../db/pool.ts';
import { readSettings } from '../workspace/settings.ts';

export interface Rule {
  key: string;
  name: string;
  on: HappeningFilter;
}

/** The ways into all journeys that people can get into, or will again after a pause. */
export async function waysIn(db: Db): Promise<Rule[]> {
  const { rows } = await db.query<Rule>({
    name: 'ways-in',
    text: `
      select j.key, j.name, rule.value as on
      from journeys j
      join versions v on v.journey_id = j.id and v.number = j.live_version
      cross join lateral jsonb_array_elements(coalesce(v.document -> 'entry' -> 'on', '[]')) as rule
      where j.state in ('live', 'paused') order by j.id`
  });
  const { names } = compileSettings(await readSettings(db));
  return rows.map((r) => ({ ...r, on: renamed(r.on, names) }));
}

/** Journeys that let people in by a date of theirs, whoever brings it: by which field. */
export async function dateWaysIn(db: Db): Promise<{ key: string; name: string; field: string }[]> {
  const { rows } = await db.query<{ key: string; name: string; field: string }>({
    name: 'date-ways-in',
    text: `
      select j.key, j.name, v.document -> 'entry' -> 'date' ->> 'field' as field
      from journeys j
      join versions v on v.journey_id = j.id and v.number = j.live_version
      where j.state in ('live', 'paused') and v.document -> 'entry' -> 'date' ? 'field' order by j.id`
  });
  const { names } = compileSettings(await readSettings(db));
  return rows.map((r) => ({ ...r, field: presentName(names, 'field', r.field) }));
}

export interface Heard {
  /** Whoever gets any label has to go through the inbox. */
  all: boolean;
  tags: string[];
  lists: string[];
}

/** Labels of new people that something listens for: who gets one of them is taken in like by hand, the others just have them. */
export async function heardLabels(db: Db): Promise<Heard> {
  const { rows } = await db.query<{ hears: string[] }>({
    name: 'settings-hear',
    text: 'select settings_hears as hears from workspace'
  });
  const rules = (await waysIn(db)).map((r) => r.on);
  const named = (happening: 'tag_added' | 'list_joined', key: 'tag' | 'list'): (string | undefined)[] =>
    rules.filter((r) => r.happening === happening).map((r) => r[key]);
  const [tags, lists] = [named('tag_added', 'tag'), named('list_joined', 'list')];
  return {
    all:
      [...tags, ...lists].includes(undefined) ||
      (rows[0]?.hears ?? []).some((name) => name === 'tag_added' || name === 'list_joined'),
    tags: tags.filter((t) => t !== undefined),
    lists: lists.filter((l) => l !== undefined)
  };
}
