/**
 * import: a file of a million people with twelve columns, all new, brought in from its bytes to the last happening, beside
 * COPY of the same rows into one table; reimport: the same file once more with one row in a hundred changed.
 */
import type { PoolClient } from 'pg';
import { Copy } from '../server/imports/copy.ts';
import { importWhole } from '../server/imports/whole.ts';
import { transaction, type Pool } from '../server/db/pool.ts';
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

/**
 * What an import cannot do without: the same rows, each kind in one statement, in tables with the indexes of ours and nothing
 * else (no references, no triggers, no checks of the file, no preview, no stopping half-way).
 */
async function written(
  pool: Pool,
  timed: (work: () => Promise<unknown>) => Promise<number>
): Promise<[name: string, ms: number][]> {
  for (const table of ['people', 'person_tags', 'happenings'])
    await pool.query(`create table least_${table} (like ${table} including all)`);
  const people = await timed(() =>
    pool.query(`insert into least_people (email, phone, first_name, last_name, zone, fields, created_at, updated_at)
      select email, phone, first_name, last_name, zone,
        jsonb_build_object('town', town, 'language', language, 'born', born, 'visits', visits, 'member', member, 'note', note), now(), now()
      from reference`)
  );
  const tags = await timed(() =>
    pool.query(`insert into least_person_tags select p.id, t, now() from least_people p join reference r on r.email = p.email
      cross join unnest(string_to_array(r.tags, ';')) as t`)
  );
  const happenings = await timed(() =>
    pool.query(`insert into least_happenings (person_id, name, at, source, data, record, handled_at)
      select person_id, 'tag_added', since, 'import', jsonb_build_object('tag', tag), 0, since from least_person_tags`)
  );
  await pool.query('drop table least_people, least_person_tags, least_happenings');
  return [
    ['people alone, with their indexes', people],
    ['and their tags and happenings', people + tags + happenings]
  ];
}

export const importing: Benchmark = (say) =>
  withPeople(0, async (pool) => {
    const timed = async (work: () => Promise<unknown>): Promise<number> => {
      const from = performance.now();
      await work();
      return performance.now() - from;
    };
    const copied = await timed(() => transaction(pool, copyAll));
    say(`COPY of ${PEOPLE} rows: ${Math.round(copied)} ms`);
    const floors = await written(pool, timed);
    await pool.query('drop table reference');
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
    const least = floors.map(([name, ms]) => ({ ...row(name, ms), target: 'what there is to write' }));
    return [...least, row(`import: ${PEOPLE} people, all new`, made), row('reimport: one in a hundred changed', again)];
  });
