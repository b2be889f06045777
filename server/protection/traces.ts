/**
 * Where an address can stand beside its person's own tables: in what was searched for, in examples of a file, in words of
 * strangers, in uploaded files, in whatever letter case, encoding or spacing. Held by a test that reads the catalogue
 * (tests/integration/erasing.test.ts): a new table with free text has to be named here, or there.
 */
import { parsePhoneNumberFromString } from 'libphonenumber-js';
import type { Db } from '../db/pool.ts';

/** Free text beside people's own tables, by table: what is found in it is blotted out. */
const FREE_TEXT: Record<string, { text: string[]; json: string[]; list: string[] }> = {
  imports: { text: ['name', 'problem'], json: ['plan', 'preview'], list: ['header'] },
  import_files: { text: ['name'], json: [], list: [] },
  crowds: { text: ['problem'], json: ['selection', 'change'], list: [] },
  channels: { text: ['matter'], json: [], list: [] },
  doubts: { text: ['answer'], json: [], list: [] },
  clock_skips: { text: ['error', 'waiting'], json: [], list: [] },
  acts: { text: [], json: ['detail'], list: [] }
};
/** Whole rows that go where it stands in one of their columns. */
const ROWS: Record<string, string[]> = {
  stray_mails: ['sender', 'recipient', 'subject', 'body', 'why'],
  stray_texts: ['sender', 'body'],
  import_refused: ['found'],
  lifted_suppressions: ['reason'],
  suppressions: ['answer']
};

const BLOT = '…';
/** What may stand between the digits of a number. */
const BETWEEN = '[\\s().\\-/\\u00a0]*';

/** The digits of a number that stay the same however it is written: without its country. */
function ownDigits(phone: string): string {
  const national = parsePhoneNumberFromString(phone)?.nationalNumber ?? phone.replace(/\D/g, '');
  return national.length >= 6 ? national : phone.replace(/\D/g, '');
}

const FEWEST_DIGITS = 6;

/** A pattern that finds these addresses in a text, for PostgreSQL and JavaScript alike; letters of either case. */
export function patternOf(addresses: readonly string[]): string {
  const parts = addresses.flatMap((a) => {
    // Whole addresses only: the end of a longer one is somebody else's.
    if (a.includes('@'))
      return [`(?<![a-z0-9._%+-])${a.toLowerCase().replace(/[.*+?^${}()|[\]\\/-]/g, '\\$&')}(?![a-z0-9-])`];
    const digits = ownDigits(a);
    // What has hardly a digit would be found everywhere.
    return digits.length < FEWEST_DIGITS
      ? []
      : [`(?<![0-9])\\+?[0-9]{0,3}${BETWEEN}0?${[...digits].join(BETWEEN)}(?![0-9])`];
  });
  // Nothing to look for is found nowhere.
  return [...new Set(parts)].join('|') || '(?!)';
}

/** Blots these addresses out of free text, and takes away what holds them. */
export async function blotOut(db: Db, addresses: readonly string[], people: readonly number[]): Promise<void> {
  if (!addresses.length) return;
  const pattern = patternOf(addresses);
  const exact = addresses.map((a) => a.toLowerCase());
  for (const table of ['suppressions', 'lifted_suppressions'])
    await db.query(`delete from ${table} where address = any($1::text[])`, [exact]);
  for (const [table, columns] of Object.entries(ROWS))
    await db.query(`delete from ${table} where ${columns.map((c) => `${c} ~* $1`).join(' or ')}`, [pattern]);
  for (const [table, { text, json, list }] of Object.entries(FREE_TEXT)) {
    const blot = (words: string): string => `regexp_replace(${words}, $1, '${BLOT}', 'gi')`;
    const set = [
      ...text.map((c) => `${c} = ${blot(c)}`),
      ...json.map((c) => `${c} = ${blot(`${c}::text`)}::jsonb`),
      ...list.map(
        (c) => `${c} = array(select ${blot('x')} from unnest(${c}) with ordinality as u (x, place) order by place)`
      )
    ];
    const found = [...text, ...json.map((c) => `${c}::text`), ...list.map((c) => `array_to_string(${c}, ' ')`)];
    await db.query(`update ${table} set ${set.join(', ')} where ${found.map((c) => `${c} ~* $1`).join(' or ')}`, [
      pattern
    ]);
  }
  await db.query(
    'delete from import_rows where person_id = any($2::bigint[]) or lower(email) = any($1::text[]) or phone = any($1::text[])',
    [exact, people]
  );
}

/** People as searches find them: their names and addresses in one line, lower case. */
const LETTERS = `lower(concat_ws(' ', p.first_name, p.last_name, p.email, p.phone))`;
/** Fewer letters than these find everybody, and say nothing of anyone. */
const FEWEST_LETTERS = 3;

/**
 * Takes people out of what was done with many: their numbers, and letters that were searched for and find them. A search under way
 * keeps its letters, which say whom it goes on with.
 */
export async function leaveCrowds(db: Db, people: readonly number[]): Promise<void> {
  await db.query(
    `update crowds c set people = array(select x from unnest(c.people) as x where x <> all($1::bigint[]))
     where c.people && $1::bigint[]`,
    [people]
  );
  await db.query(
    `update crowds c set selection = jsonb_set(c.selection, '{ids}', coalesce((select jsonb_agg(x) from
         jsonb_array_elements(c.selection -> 'ids') as x where (x #>> '{}')::bigint <> all($1::bigint[])), '[]'))
     where exists (select from jsonb_array_elements(c.selection -> 'ids') as x where (x #>> '{}')::bigint = any($1::bigint[]))`,
    [people]
  );
  await db.query(
    `update crowds c set selection = jsonb_set(c.selection, '{text}', '"${BLOT}"')
     where c.state = 'done' and length(c.selection ->> 'text') >= ${FEWEST_LETTERS} and exists (
       select from people p where p.id = any($1::bigint[]) and not exists (
         select from regexp_split_to_table(lower(btrim(c.selection ->> 'text')), '\\s+') as word
         where position(word in ${LETTERS}) = 0))`,
    [people]
  );
}

/** Uploaded files in which one of these addresses stands, in any letter case, encoding or spacing; they go. How many. */
export async function removeFiles(db: Db, addresses: readonly string[]): Promise<number> {
  if (!addresses.length) return 0;
  const emails = addresses.filter((a) => a.includes('@')).flatMap(bytesOf);
  const numbers = addresses
    .filter((a) => !a.includes('@'))
    .map(ownDigits)
    .filter((d) => d.length >= FEWEST_DIGITS);
  const longest = Math.max(...addresses.map((a) => a.length)) * 4;
  const { rows: parts } = await db.query<{ file_id: string; place: number }>(
    'select file_id, place from import_parts order by file_id, place'
  );
  const found = new Set<string>();
  let before = { file: '', tail: '' };
  for (const { file_id: file, place } of parts) {
    if (found.has(file)) continue;
    // A part at a time: a file may be larger than memory.
    const { rows } = await db.query<{ bytes: Buffer }>(
      'select bytes from import_parts where file_id = $1 and place = $2',
      [file, place]
    );
    const text = (before.file === file ? before.tail : '') + plainOf(rows[0]?.bytes ?? Buffer.alloc(0));
    before = { file, tail: text.slice(-longest) };
    const digits = numbers.length ? text.replace(/[\s().\-/\u00a0]+/g, '') : '';
    if (emails.some((e) => holds(text, e)) || numbers.some((n) => digits.includes(n))) found.add(file);
  }
  const { rowCount } = await db.query('delete from import_files where id = any($1::uuid[])', [[...found]]);
  return rowCount ?? 0;
}

/** Whether an address stands in a text as a whole, not as the end of a longer one. */
function holds(text: string, address: string): boolean {
  for (let at = text.indexOf(address); at >= 0; at = text.indexOf(address, at + 1))
    if (!/[a-z0-9._%+-]/.test(text[at - 1] ?? ' ') && !/[a-z0-9-]/.test(text[at + address.length] ?? ' ')) return true;
  return false;
}

/** Bytes as letters, one each: those of UTF-16 without the zeros between them, so that plain letters read alike in all encodings. */
const plainOf = (bytes: Buffer): string => bytes.toString('latin1').replaceAll('\0', '').toLowerCase();

/** An address as {@link plainOf} gives it, in each encoding that makes a difference to it. */
const bytesOf = (address: string): string[] => [
  ...new Set([
    plainOf(Buffer.from(address.toLowerCase(), 'utf8')),
    plainOf(Buffer.from(address.toLowerCase(), 'utf16le'))
  ])
];
