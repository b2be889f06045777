import { describe, expect, it } from 'vitest';
import { collected } from '../../tests/make.ts';
import { BadFile, guessReading, openTable } from './csv.ts';
import type { Reading } from './reading.ts';
import { guessColumns, profileOf } from './profile.ts';
import { checkRows, isRefused, type GoodRow, type Refused } from './rows.ts';

const bytes = (text: string): Uint8Array => new TextEncoder().encode(text);

/** All rows of a file that comes in parts. */
async function lookAt(file: Uint8Array[], reading?: Reading): Promise<{ good: GoodRow[]; refused: Refused[] }> {
  const table = await openTable(file, reading ?? (await guessReading(file)));
  const good: GoodRow[] = [];
  const refused: Refused[] = [];
  const columns = guessColumns(table.header, profileOf(table.header.length, [], 'IE'), new Map());
  const parts = await collected(checkRows(table, { columns, country: 'IE', zone: 'UTC', misfits: 'refuse' }));
  for (const row of parts.flat()) {
    if (isRefused(row)) refused.push(row);
    else good.push(row);
  }
  return { good, refused };
}
const look = (text: string) => lookAt([bytes(text)]);
const UTF8: Reading = { encoding: 'utf-8', delimiter: ',', header: true };

describe('a file as a whole', () => {
  it.each<[string, Uint8Array, RegExp]>([
    ['empty', bytes(''), /empty/],
    ['only white space', bytes('\n \n'), /empty/],
    ['only a header', bytes('email,name\n'), /no people below/],
    ['not UTF-8', new Uint8Array([...bytes('email\na@b.example\n'), 0xe9, 10]), /Line 3: this file is not UTF-8/],
    [
      'not UTF-8 far behind',
      new Uint8Array([...bytes(`email\n${'a@b.example\n'.repeat(30_000)}`), 0xe9]),
      /Line 30002: this file is not UTF-8/
    ],
    ['a line without end', new Uint8Array(9 * 1024 * 1024).fill(97), /Line 1 is longer than 4 MB/],
    [
      '60,000 columns',
      bytes(Array.from({ length: 60_000 }, (_, i) => `c${i}`).join() + '\nx\n'),
      /Line 1: 60,000 columns; up to 500/
    ],
    ['a quotation mark that never ends', bytes('email,name\n"a@b.example,x\n'), /cannot be read as CSV/]
  ])('%s', async (_, file, expected) => {
    const looking = lookAt([file], UTF8);
    await expect(looking).rejects.toThrow(BadFile);
    await expect(looking).rejects.toThrow(expected);
  });

  it.each([',', ';', '\t'])('columns parted by %j, a byte order mark, line ends of any kind', async (d) => {
    const { good } = await look(`\uFEFFEmail${d}First name\r\nada@people.example${d}Ada\r\n`);
    expect(good).toMatchObject([{ line: 2, email: 'ada@people.example', first_name: 'Ada' }]);
  });

  it('the same wherever it is cut into parts', async () => {
    const file = bytes(
      'Email,Home town\nada@people.example,"Port, Lámh"\ncora@people.example,"two\nlines"\nnonsense,é\n'
    );
    const whole = await lookAt([file]);
    expect(whole.good.map((row) => row.fields)).toEqual([{ home_town: 'Port, Lámh' }, { home_town: 'two\nlines' }]);
    expect(whole.refused).toMatchObject([{ line: 5 }]);
    for (let cut = 1; cut < file.length; cut++)
      expect(await lookAt([file.subarray(0, cut), file.subarray(cut)])).toEqual(whole);
    expect(await lookAt([...file].map((byte) => Uint8Array.of(byte)))).toEqual(whole);
  });

  it('more people than are taken at once', async () => {
    const { rows } = await openTable([bytes('phone\n1\n2\n3\n')], UTF8, 2);
    await expect(collected(rows)).rejects.toThrow(/^Line 4: up to 2 people are taken at once. Split the file/);
  });

  it('a failure of whoever gives the parts is theirs', async () => {
    const parts = (async function* () {
      yield bytes('email\na@b.example\n');
      await Promise.resolve();
      throw new Error('the database is away');
    })();
    const reading = openTable(parts, UTF8).then(({ rows }) => collected(rows));
    await expect(reading).rejects.toThrow('the database is away');
  });
});

describe('rows', () => {
  it.each<[string, string, object]>([
    [
      'no address at all',
      'email,phone,name\n,,Ada\n',
      { line: 2, reason: 'no address at all: neither email nor phone' }
    ],
    ['a bad address', 'email\nada@\n', { line: 2, column: 'email', found: 'ada@', reason: 'not an email address' }],
    [
      'a bad number',
      'phone\n12\n',
      { line: 2, column: 'phone', reason: 'not a phone number; write it with its country, as +44 7700 900123' }
    ],
    ['a bad zone', 'email,zone\na@b.example,Mars\n', { line: 2, column: 'zone', found: 'Mars' }],
    ['a bad consent', 'email,consent_email\na@b.example,perhaps\n', { line: 2, column: 'consent_email' }],
    [
      'the same address twice',
      'email\nA@b.example\nc@d.example\na@B.example\n',
      { line: 4, found: 'a@b.example', reason: 'the same address stands on line 2' }
    ],
    ['more cells than columns', 'email\na@b.example,x\n', { line: 2, found: '2 cells' }]
  ])('%s', async (_, text, expected) => {
    const { refused } = await look(text);
    expect(refused).toHaveLength(1);
    expect(refused[0]).toMatchObject(expected);
  });

  it('keeps the good ones beside the refused', async () => {
    const { good, refused } = await look(
      'email,tags,Home town\na@b.example,x; y;x,Quillmoor\nnonsense,,\n"c@d.example",,"Port, Lámh"\n'
    );
    expect(refused.map((r) => r.line)).toEqual([3]);
    expect(good).toMatchObject([
      { line: 2, tags: ['x', 'y'], fields: { home_town: 'Quillmoor' } },
      { line: 4, fields: { home_town: 'Port, Lámh' } }
    ]);
  });

  it('writes phone numbers in one way', async () =>
    expect((await look('phone\n+44 7700 900 123\n')).good[0]?.phone).toBe('+447700900123'));
});
