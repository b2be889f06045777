/** People of a selection as a file: read a portion at a time, in the order in which they became known, however many they are. */
import { stringify } from 'csv-stringify/sync';
import { own } from '../../core/own.ts';
import { Parameters } from '../../core/condition/sql.ts';
import { now } from '../workspace/clock.ts';
import { nextOf, type Selection } from '../selection/selection.ts';
import type { Pool } from '../db/pool.ts';
import { TARGETS } from './columns.ts';
import type { SettingsBook } from '../workspace/settings.ts';

export const EXPORT_FORMATS = ['csv', 'ndjson'] as const;
export type ExportFormat = (typeof EXPORT_FORMATS)[number];

/** A column for each that an import can take: what is saved can be brought in again. */
type Line = Record<(typeof TARGETS)[number], string | string[] | null> & {
  id: number;
  fields: Record<string, unknown>;
};

const PORTION = 1000;

/** A spreadsheet takes a cell that begins so for a formula: an apostrophe makes it text (the writer's `escape_formulas`). */
const csv = (rows: unknown[][]): string => stringify(rows, { escape_formulas: true });
const cell = (value: unknown): unknown => (Array.isArray(value) ? value.join(';') : value);

/**
 * The lines of a file, portion by portion; `fields` are the workspace's own that have a column each in CSV. Ends early where
 * nobody reads on.
 */
export async function* exported(
  pool: Pool,
  settings: SettingsBook,
  selection: Selection,
  format: ExportFormat,
  fields: readonly string[]
): AsyncGenerator<string> {
  if (format === 'csv') yield csv([[...TARGETS, ...fields]]);
  const at = await now(pool);
  let after = 0;
  for (;;) {
    const { workspace } = await settings.read(pool);
    const { ids, last, ended } = await nextOf(pool, selection, after, PORTION, at, workspace);
    const lines = await linesOf(pool, ids);
    if (lines.length)
      yield format === 'csv'
        ? csv(
            lines.map((l) => [
              ...TARGETS.map((target) => cell(l[target])),
              ...fields.map((f) => cell(own(l.fields, f) ?? ''))
            ])
          )
        : lines.map((l) => `${JSON.stringify(l)}\n`).join('');
    if (ended || last === null) return;
    after = last;
  }
}

async function linesOf(pool: Pool, ids: number[]): Promise<Line[]> {
  const parameters = new Parameters();
  const { rows } = await pool.query<Line>(
    `select p.id, p.email, p.phone, p.first_name, p.last_name, p.zone,
       array(select tag from person_tags t where t.person_id = p.id order by tag) as tags,
       array(select list from person_lists l where l.person_id = p.id order by list) as lists,
       (select state from consents c where c.person_id = p.id and c.channel = 'email') as consent_email,
       (select state from consents c where c.person_id = p.id and c.channel = 'sms') as consent_sms,
       p.fields
     from people p where p.id = any(${parameters.add(ids)}::bigint[]) order by p.id`,
    parameters.values
  );
  return rows;
}
