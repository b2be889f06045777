/**
 * Erasing erases: every table that the catalogue knows is filled with a person and their addresses, in every column that can
 * hold them; then they are erased, and every column of every table is searched. A new table cannot be forgotten: it is filled as
 * well, or says here why nobody stands in it.
 */
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import type { PersonState } from '../../core/person/state.ts';
import { journey, mail, MONDAY, reachable } from '../make.ts';
import { askChange } from '../../server/people/inputs.ts';
import { erase } from '../../server/protection/erase.ts';
import { beginImport, openImport, readImport } from '../../server/imports/imports.ts';
import { importWhole } from '../../server/imports/whole.ts';
import { workImport } from '../../server/imports/run.ts';
import { setField } from '../../server/people/by-hand.ts';
import { addPeople, live, openWorld, skipTo, type World } from './world.ts';

let world: World;
beforeEach(async () => {
  world = await openWorld();
});
afterEach(() => world.close());
const query = async <T extends object>(words: string, ...values: unknown[]): Promise<T[]> =>
  (await world.pool.query<T>(words, values)).rows;

/** Tables in which nobody stands, and why. */
const NOBODY: Record<string, string> = {
  accepted_findings: 'reasons for findings about a journey',
  api_keys: 'programs',
  counters: 'sums',
  doubles_search: 'how far a search has come',
  erased: 'hashes, and what proves consent with addresses blotted out',
  events_seen: 'hashes',
  field_names: 'names of fields',
  flow: 'sums',
  import_shapes: 'names of columns',
  journeys: 'journeys',
  label_days: 'sums',
  live_at: 'journeys',
  machine_clock: 'an instant',
  migrations: 'names of files',
  open_drafts: 'colleagues',
  people: 'filled by hand',
  refusals: 'names of domains',
  send_rates: 'names of domains',
  sessions: 'colleagues',
  tags: 'names of tags',
  users: 'colleagues',
  versions: 'journeys',
  winners: 'lanes',
  workspace: 'settings'
};
/** Columns that name things of ours, not words of anybody. */
const OURS: Record<string, string[]> = {
  acts: ['by', 'what'],
  answers: ['by'],
  crowds: ['kind', 'asked_by'],
  clock_skips: ['asked_by'],
  different_people: ['by'],
  doubts: ['domain', 'settled_by'],
  imports: ['asked_by'],
  lifted_suppressions: ['by'],
  merged: ['by'],
  person_lists: ['list'],
  person_segments: ['segment'],
  person_tags: ['tag']
};

const EMAIL = 'Ada.Marker@People.Example';
const MARK = `${EMAIL} or +44 7700 900123, before former@people.example`;
const PATTERN = 'ada.marker@people|7700\\s*900123|former@people';
/** Columns that hold the number of a person. */
const WHO = new Set(['person_id', 'low', 'high']);

interface Column {
  table: string;
  column: string;
  type: string;
  /** What a check lets in, where there is one. */
  check: string | null;
}

function valueOf({ table, column, type, check }: Column, person: number, n: number): unknown {
  if (WHO.has(column)) return column === 'high' ? person + 1000 : person;
  if (column === 'id' && table === 'acts') return 1000;
  if (column === 'state' && table === 'crowds') return 'done';
  if (column === 'address') return 'former@people.example';
  const first = check && /'([^']*)'::text/.exec(check)?.[1];
  if (type === 'text' && first) return first;
  if (type === 'text') return OURS[table]?.includes(column) ? 'ours' : MARK;
  if (type === 'jsonb')
    return JSON.stringify(
      column === 'selection'
        ? { text: 'marker people.example', ids: [person] }
        : column === 'copies'
          ? [{ was: MARK }]
          : { found: MARK }
    );
  if (type === 'bytea') return Buffer.from(MARK);
  if (type === 'text[]') return [MARK];
  if (type === 'bigint[]') return [person];
  if (type === 'uuid' && (column === 'file_id' || table === 'import_files'))
    return '00000000-0000-4000-8000-000000000001';
  if (type === 'uuid') return `00000000-0000-4000-8000-${String(n).padStart(12, '0')}`;
  if (type === 'boolean') return true;
  if (type.startsWith('timestamp') || type === 'date') return new Date(MONDAY);
  return 1;
}

async function fillEverything(person: number): Promise<string[]> {
  const columns = await query<Column>(
    `select c.relname as table, a.attname as column, format_type(a.atttypid, a.atttypmod) as type,
       (select pg_get_constraintdef(k.oid) from pg_constraint k where k.conrelid = c.oid and k.contype = 'c' and k.conkey = array[a.attnum]) as check
     from pg_class c join pg_attribute a on a.attrelid = c.oid and a.attnum > 0 and not a.attisdropped
     where c.relkind = 'r' and c.relnamespace = 'public'::regnamespace and a.attgenerated = '' order by 1, a.attnum`
  );
  const tables = new Map<string, Column[]>();
  for (const c of columns) tables.set(c.table, [...(tables.get(c.table) ?? []), c]);
  const filled: string[] = [];
  const client = await world.pool.connect();
  try {
    // As they stand, whatever references and triggers would say: each table is looked at by itself.
    await client.query(`begin; set local session_replication_role = 'replica'`);
    let n = 0;
    for (const [table, of] of tables) {
      if (NOBODY[table]) continue;
      const names = of.map((c) => `"${c.column}"`).join(', ');
      const places = of.map((_, i) => `$${i + 1}`).join(', ');
      await client.query(
        `insert into "${table}" (${names}) overriding system value values (${places}) on conflict do nothing`,
        of.map((c) => valueOf(c, person, ++n))
      );
      filled.push(table);
    }
    await client.query('commit');
  } finally {
    client.release();
  }
  return filled;
}

async function searchEverything(words: string): Promise<string[]> {
  const columns = await query<{ table: string; column: string; type: string }>(
    `select c.relname as table, a.attname as column, format_type(a.atttypid, a.atttypmod) as type
     from pg_class c join pg_attribute a on a.attrelid = c.oid and a.attnum > 0 and not a.attisdropped
     where c.relkind = 'r' and c.relnamespace = 'public'::regnamespace`
  );
  const found: string[] = [];
  for (const { table, column, type } of columns) {
    const text = type === 'bytea' ? `encode("${column}", 'escape')` : `"${column}"::text`;
    const { rowCount } = await world.pool.query(`select from "${table}" where ${text} ~* $1`, [words]);
    if (rowCount) found.push(`${table}.${column}`);
  }
  return found;
}

describe('somebody who stands in every table there is', () => {
  it('stands in none once they are erased, nor does any address they ever had', async () => {
    const change = (p: PersonState): void => {
      p.fields.set('email', EMAIL).set('phone', '+447700900123').set('first_name', 'Ada');
      p.consent = {};
    };
    await addPeople(world.pool, [reachable('x', change)]);
    await query('delete from channels');
    // What their rows refer to.
    await live(world, journey([mail('a')]));
    await query(`insert into users (email, name, password_hash) values ('nuala@desk.example', 'Nuala', 'x')`);
    const filled = await fillEverything(1);
    expect(filled.length).toBeGreaterThan(35);
    const before = await searchEverything(PATTERN);
    // They really stood there: in each table but those that have nothing but numbers.
    const numbersOnly = [
      'draws',
      'scores',
      'agenda',
      'doubles',
      'doubles_keys',
      'different_people',
      'merged',
      'person_lists',
      'person_segments',
      'person_tags',
      'segment_past'
    ];
    for (const table of filled.filter((t) => !numbersOnly.includes(t)))
      expect([table, before.some((b) => b.startsWith(`${table}.`))]).toEqual([table, true]);

    expect(await erase(world.pool, 1, 'Nuala')).not.toBeNull();
    expect(await searchEverything(PATTERN)).toEqual([]);
    expect(await searchEverything('marker people.example')).toEqual([]);
    for (const table of filled) {
      const who = await query<{ column: string }>(
        `select attname as column from pg_attribute where attrelid = $1::regclass and attname in ('person_id', 'low') and not attisdropped`,
        table
      );
      for (const { column } of who)
        expect([table, await query(`select from "${table}" where ${column} = 1`)]).toEqual([table, []]);
    }
    await query(`select setval(pg_get_serial_sequence('imports', 'id'), 1000)`);
    // All addresses they ever had are kept from being imported again.
    const again = await importWhole(
      world.pool,
      Buffer.from(
        `email,phone\nada.marker@people.example,\nFORMER@people.example,\n,+447700900123\nnew@people.example,\n`
      )
    );
    expect(again.preview).toMatchObject({ made: 1, refused: 3 });
  });
});

describe('uploaded files', () => {
  it.each<[string, Buffer, boolean]>([
    ['in another case', Buffer.from('email\nADA@B.EXAMPLE\n'), true],
    ['in UTF-16', Buffer.from('\ufeffemail\nada@b.example\n', 'utf16le'), true],
    ['a number with spaces', Buffer.from('phone\n07700 900 123\n'), true],
    ['a number with brackets and its country', Buffer.from('phone\n+44 (7700) 900-123\n'), true],
    ['an address they had before', Buffer.from('email\nbefore@b.example\n'), true],
    ['over the end of a part', Buffer.from(`email\n${'x'.repeat(90)}\nada@b.example\n`), true],
    ['of somebody else', Buffer.from('email\nbea@b.example\n'), false]
  ])('that hold them %s go with them', async (_, bytes, goes) => {
    await addPeople(world.pool, [
      reachable('x', (p) => void p.fields.set('email', 'before@b.example').set('phone', '+447700900123'))
    ]);
    await setField(world.pool, 1, 'email', 'ada@b.example', 'Nuala');
    const id = '00000000-0000-4000-8000-000000000001';
    await query(`insert into users (email, name, password_hash) values ('nuala@desk.example', 'Nuala', 'x')`);
    await query(
      'insert into import_files (id, name, bytes, user_id) select $1, $2, $3, id from users',
      id,
      'people.csv',
      bytes.length
    );
    for (let place = 0; place * 100 < bytes.length; place++)
      await query(
        'insert into import_parts values ($1, $2, $3)',
        id,
        place,
        bytes.subarray(place * 100, place * 100 + 100)
      );
    expect((await erase(world.pool, 1, 'Nuala'))?.files).toBe(goes ? 1 : 0);
    expect(await query('select from import_files')).toHaveLength(goes ? 0 : 1);
  });
});

it('a file that was read before they were erased does not bring them back', async () => {
  await addPeople(world.pool, [reachable('x', (p) => void p.fields.set('email', 'ada@b.example'))]);
  const bytes = [Buffer.from('email\nada@b.example\nbea@b.example\n')];
  const opened = await openImport(world.pool, { name: 'x.csv', id: null, user: null, by: 'test' }, () => bytes);
  await readImport(world.pool, opened.id, opened.plan, bytes);
  await erase(world.pool, 1, 'Nuala');
  // As where a row was written down in the very moment.
  await query(
    `insert into import_rows (import_id, line, email, fields, tags, lists) values ($1, 9, 'ada@b.example', '{}', '{}', '{}')`,
    opened.id
  );
  await beginImport(world.pool, opened.id, 'test');
  while (await workImport(world.pool));
  expect(await query('select email from people')).toEqual([{ email: 'bea@b.example' }]);
});

it('what waits for them is gone with them, and nobody is held up by it', async () => {
  const ids = await addPeople(world.pool, [
    reachable('a'),
    reachable('b', (p) => void p.fields.set('phone', '+447700900222'))
  ]);
  await askChange(world.pool, ids, { addTags: ['in'] }, 'test');
  await erase(world.pool, 1, 'Nuala');
  await skipTo(world, MONDAY);
  expect(await query('select person_id, tag from person_tags')).toEqual([{ person_id: 2, tag: 'in' }]);
});

it('what is somebody else’s stays: a longer address that ends alike, and everything where one is no address at all', async () => {
  await addPeople(world.pool, [
    reachable('x', (p) => void p.fields.set('email', 'a@b.example').set('phone', 'x')),
    reachable('y', (p) => void p.fields.set('email', 'ada@b.example').set('phone', '+447700900222'))
  ]);
  await query(
    `insert into suppressions (address, reason, at) values ('ada@b.example', 'bounced', now()), ('a@b.example', 'bounced', now())`
  );
  await query(
    `insert into stray_texts (source_id, sender, body, at) values ('1', '+447700900999', 'I am ada@b.example', now())`
  );
  await erase(world.pool, 1, 'Nuala');
  expect(await query('select address from suppressions')).toEqual([{ address: 'ada@b.example' }]);
  expect(await query('select from stray_texts')).toHaveLength(1);
});
