/** The refused rows of an import as a file to mend and import again: the rows as they stood, and a column that says why. */
import { stringify } from 'csv-stringify/sync';
import type { Db } from '../db/pool.ts';
import { openTable, type Bytes } from './csv.ts';
import type { ImportPlan } from './plan.ts';

const csv = (rows: unknown[][]): string => stringify(rows, { escape_formulas: true });
const AT_ONCE = 500;

/** CSV text in UTF-8 with a mark, as spreadsheets take it; read from the file as it goes. */
export async function* refusedRows(
  db: Db,
  { id, plan, header }: { id: number; plan: ImportPlan; header: string[] },
  source: Bytes
): AsyncGenerator<string> {
  const { rows } = await db.query<{ line: number; column_name: string | null; reason: string }>(
    'select line, column_name, reason from import_refused where import_id = $1 order by line',
    [id]
  );
  const why = new Map(rows.map((r) => [r.line, r.column_name === null ? r.reason : `${r.column_name}: ${r.reason}`]));
  yield `\uFEFF${csv([[...header, 'line in the file', 'why it was refused']])}`;
  const table = await openTable(source, plan.reading);
  let part: unknown[][] = [];
  for await (const rows of table.rows) {
    for (const { line, cells } of rows) {
      const reason = why.get(line);
      if (reason !== undefined) part.push([...header.map((_, i) => cells[i] ?? ''), line, reason]);
    }
    if (part.length < AT_ONCE) continue;
    yield csv(part);
    part = [];
  }
  if (part.length) yield csv(part);
}
