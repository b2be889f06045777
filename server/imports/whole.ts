/** Importing a file from its beginning to its end, without anybody who looks at it: for the demo's people, benches and tests. */
import type { Pool } from '../db/pool.ts';
import { beginImport, importLine, openImport, readImport, type ImportLine } from './imports.ts';
import type { ImportPlan } from './plan.ts';
import type { Preview } from './preview.ts';
import { workImport } from './run.ts';

/** `plan` says what is different from what would be proposed. @throws where the file or the plan is not right. */
export async function importWhole(
  pool: Pool,
  bytes: Uint8Array,
  plan: (proposed: ImportPlan) => ImportPlan = (p) => p,
  name = 'people.csv',
  /** Hears how long reading took, and taking in, ms. */
  took: (what: 'reading' | 'taking in', ms: number) => void = () => undefined
): Promise<{ preview: Preview; line: ImportLine }> {
  let from = performance.now();
  const opened = await openImport(pool, { name, id: null, user: null, by: 'set-up' }, () => [bytes]);
  const preview = await readImport(pool, opened.id, plan(opened.plan), [bytes]);
  if (!preview) throw new Error('the file was not read to its end');
  took('reading', performance.now() - from);
  from = performance.now();
  const begun = await beginImport(pool, opened.id, 'set-up');
  if (!begun.ok) throw new Error(begun.problem);
  for (;;) {
    const line = await importLine(pool, opened.id);
    if (!line) throw new Error('the import was taken away while it ran');
    if (line.state === 'done') {
      took('taking in', performance.now() - from);
      return { preview, line };
    }
    if (line.state === 'stopped') throw new Error(line.problem ?? 'stopped');
    await workImport(pool);
  }
}
