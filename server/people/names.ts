/** Names that conditions and steps can use here: of tags, lists, segments, fields, scores and rungs. */
import type { Db } from '../db/pool.ts';
import { readSettings } from '../workspace/settings.ts';
import { fieldNames } from '../engine/field-names.ts';
import { tagNames } from './people.ts';
import { scoreNames } from './shown.ts';

export interface KnownNames {
  tags: string[];
  lists: string[];
  segments: string[];
  fields: string[];
  scores: string[];
  rungs: string[];
}

/** Names of the lists that anybody is on: one look at the index a name, however many people there are. */
async function listNames(db: Db): Promise<string[]> {
  const { rows } = await db.query<{ list: string }>({
    name: 'list-names',
    text: `
      with recursive names as (
        (select list from person_lists order by list limit 1)
        union all
        (select (select l.list from person_lists l where l.list > names.list order by l.list limit 1) from names
         where names.list is not null)
      )
      select list from names where list is not null limit 2000`
  });
  return rows.map((r) => r.list);
}

export async function knownNames(db: Db): Promise<KnownNames> {
  const [tags, lists, fields, scores, settings] = await Promise.all([
    tagNames(db),
    listNames(db),
    fieldNames(db),
    scoreNames(db),
    readSettings(db)
  ]);
  const own = settings?.scores?.map((s) => s.name) ?? [];
  const declared = settings?.fields?.map((f) => f.name) ?? [];
  return {
    tags,
    lists,
    segments: settings?.segments?.map((s) => s.name) ?? [],
    fields: [...new Set([...fields, ...declared])],
    scores: [...new Set([...scores, ...own])],
    rungs: [...new Set(settings?.ladders?.flatMap((l) => [...l.rungs.map((r) => r.name), l.after]) ?? [])]
  };
}
