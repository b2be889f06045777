/**
 * import: a file of a million people with twelve columns, all new, brought in from its bytes to the last happening, beside
 * COPY of the same rows into one table; reimport: the same file once more with one row in a hundred changed.
 */
import type { PoolClient } from 'pg';
import { Copy } from '../server/imports/copy.ts';
import { importWhole } from '../server/imports/whole.ts';
import { transaction } from '../server/db/pool.ts';
import { withPeople } from './people.ts';
import type { Benchmark } from './row.ts';

const PEOPLE = Number(process.env['BENCH_PEOPLE'] ?? 1_000_000);
const HEADER = 'email,phone,first_name,last_name,zone,tags,town,language,born,visits,member,note';
const COLUMNS = HEADER.split(',');
const TOWNS = ['Quillmoor', 'Thornmere', 'Shalewater', 'Fallowmere', 'Tormore'];

const rowOf = (i: number, changed: boolean): string[] => [
  `person${i}@people.example`,
  `+4477${String(100_000_000 + i).slice(1)}`.slice(0, 13),
  `First${i % 997}`,
  `Last${i % 4999}`,
  i % 3 ? 'Europe/Dublin' : 'Europe/Paris',
  i % 2 ? 'visitor' : 'visitor;member',
  TOWNS[i % 5] ?? '',
  'English',
  `19${String(50 + (i % 50))}-0${(i % 9) + 1}-1${i % 9}`,
  String(changed ? (i % 40) + 100 : i % 40),
  i % 2 ? 'yes' : 'no',
  `came by the ${i % 7}th gate`
];

/** The file, made in pieces; of one row in a hundred, one value is another. */
function file(changed: boolean): Buffer {
  const pieces = [Buffer.from(`${HEADER}\n`)];
  for (let from = 0; from < PEOPLE; from += 10_000) {
    let text = '';
    for (let i = from; i < Math.min(PEOPLE, from + 10_000); i++)
      text += `${rowOf(i, changed && i % 100 === 7).join(',')}\n`;
    pieces.push(Buffer.from(text));
  }
  return Buffer.concat(pieces);
}

async function copyAll(db: PoolClient): Promise<void> {
  await db.query(`create table reference (${COLUMNS.map((c) => `${c} text`).join(', ')})`);
  const copy = new Copy(db, 'reference', COLUMNS);
  for (let i = 0; i < PEOPLE; i++) await copy.put(rowOf(i, false));
  await copy.end();
}

export const importing: Benchmark = (say) =>
  withPeople(0, async (pool) => {
    const timed = async (work: () => Promise<unknown>): Promise<number> => {
      const from = performance.now();
      await work();
      return performance.now() - from;
    };
    const copied = await timed(() => transaction(pool, copyAll));
    await pool.query('drop table reference');
    say(`COPY of ${PEOPLE} rows: ${Math.round(copied)} ms`);
    const bring = async (changed: boolean): Promise<number> => {
      const bytes = file(changed);
      const marks: [string, number][] = [];
      const all = await timed(async () => {
        const { line, preview } = await importWhole(
          pool,
          bytes,
          (plan) => ({ ...plan, begins: false }),
          'people.csv',
          (what, ms) => void marks.push([what, ms])
        );
        say(
          `${line.made} made, ${line.updated} changed, ${preview.unchanged} unchanged, ${preview.refused} refused; ${marks.map(([w, ms]) => `${w} ${Math.round(ms)} ms`).join(', ')}`
        );
      });
      return all;
    };
    const made = await bring(false);
    const again = await bring(true);
    const row = (name: string, ours: number) => ({
      name,
      ours,
      reference: copied,
      ratio: ours / copied,
      target: '<= 6',
      unit: 'ms'
    });
    return [row(`import: ${PEOPLE} people, all new`, made), row('reimport: one in a hundred changed', again)];
  });
