import { describe, expect, it } from 'vitest';
import { BadFile, checkRows, guessTargets, readTable } from './csv.ts';

const bytes = (text: string): Uint8Array => new TextEncoder().encode(text);
const look = (text: string) => {
  const table = readTable(bytes(text));
  return checkRows(table, guessTargets(table.header), 'IE');
};

describe('a file as a whole', () => {
  it.each<[string, Uint8Array, RegExp]>([
    ['empty', bytes(''), /empty/],
    ['only a header', bytes('email,name\n'), /no people below/],
    ['not UTF-8', new Uint8Array([...bytes('email\na@b.example\n'), 0xe9, 10]), /Line 3: this file is not UTF-8/],
    ['too large', new Uint8Array(26 * 1024 * 1024), /26 MB; up to 25 MB/],
    ['a column twice', bytes('email,email\na@b.example,x\n'), /Line 1: the column "email" is there twice/],
    ['a quotation mark that never ends', bytes('email,name\n"a@b.example,x\n'), /cannot be read as CSV/]
  ])('%s', (_, file, expected) => {
    expect(() => readTable(file)).toThrow(BadFile);
    expect(() => readTable(file)).toThrow(expected);
  });

  it.each([',', ';', '\t'])('columns parted by %j, a byte order mark, line ends of any kind', (d) => {
    const { good } = look(`\uFEFFEmail${d}First name\r\nada@people.example${d}Ada\r\n`);
    expect(good).toMatchObject([{ line: 2, email: 'ada@people.example', first_name: 'Ada' }]);
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
      { line: 2, column: 'phone', reason: 'not a phone number; write it as +44 7700 900123' }
    ],
    ['a bad zone', 'email,zone\na@b.example,Mars\n', { line: 2, column: 'zone', found: 'Mars' }],
    ['a bad consent', 'email,consent_email\na@b.example,perhaps\n', { line: 2, column: 'consent_email' }],
    [
      'the same address twice',
      'email\nA@b.example\nc@d.example\na@B.example\n',
      { line: 4, found: 'a@b.example', reason: 'the same address stands on line 2' }
    ],
    ['more cells than columns', 'email\na@b.example,x\n', { line: 2, found: '2 cells' }]
  ])('%s', (_, text, expected) => {
    const { refused } = look(text);
    expect(refused).toHaveLength(1);
    expect(refused[0]).toMatchObject(expected);
  });

  it('keeps the good ones beside the refused', () => {
    const { good, refused } = look(
      'email,tags,Home town\na@b.example,x; y;x,Quillmoor\nnonsense,,\n"c@d.example",,"Port, Lámh"\n'
    );
    expect(refused.map((r) => r.line)).toEqual([3]);
    expect(good).toMatchObject([
      { line: 2, tags: ['x', 'y'], fields: { home_town: 'Quillmoor' } },
      { line: 4, fields: { home_town: 'Port, Lámh' } }
    ]);
  });

  it('writes phone numbers in one way', () =>
    expect(look('phone\n+44 7700 900 123\n').good[0]?.phone).toBe('+447700900123'));
});

it('guesses what columns are', () =>
  expect(guessTargets(['E-Mail', 'Surname', 'Mobile', 'Visit Count', 'mail', ''])).toEqual([
    'email',
    'last_name',
    'phone',
    'field:visit_count',
    'ignore',
    'ignore'
  ]));
