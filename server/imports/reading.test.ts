import { describe, expect, it } from 'vitest';
import { collected } from '../../tests/make.ts';
import { guessReading, openTable } from './csv.ts';
import { guessColumns, profileOf, typeOf } from './profile.ts';
import { openQuestions, type ImportPlan } from './plan.ts';

const TEXT =
  'E-Mail;Vorname;Besuch\nzoë@people.example;Zoë;12,50\nøyvind@people.example;Øyvind;7,00\nmüller@people.example;Jürgen;3,25\n';

/** A text in an encoding of one byte a character (windows-1252 in its Latin part) or of two. */
const inBytes = (text: string, encoding: string): Uint8Array => {
  if (encoding === 'utf-8') return Buffer.from(text);
  if (encoding === 'windows-1252') return Buffer.from(text, 'latin1');
  const two = Buffer.from(text, 'utf16le');
  return encoding === 'utf-16be' ? two.swap16() : two;
};

describe('how a file is written', () => {
  it.each([
    ['utf-8', ''],
    ['utf-8', '\uFEFF'],
    ['utf-16le', '\uFEFF'],
    ['utf-16be', '\uFEFF'],
    ['utf-16le', ''],
    ['utf-16be', ''],
    ['windows-1252', '']
  ])('%s with the mark %j', async (encoding, mark) => {
    const bytes = inBytes(mark + TEXT, encoding);
    const reading = await guessReading([bytes]);
    expect(reading).toEqual({ encoding, delimiter: ';', header: true });
    // Cut anywhere it is the same.
    const parts = [...bytes].map((byte) => Uint8Array.of(byte));
    expect(await guessReading(parts)).toEqual(reading);
    const { header, rows } = await openTable(parts, reading);
    expect(header).toEqual(['E-Mail', 'Vorname', 'Besuch']);
    expect((await collected(rows)).flat().map((r) => r.cells[1])).toEqual(['Zoë', 'Øyvind', 'Jürgen']);
  });

  it.each([
    [',', 'a,b,"c;d"\n1,2,3\n'],
    [';', 'a;b;c\n1,5;2,5;3\n1,5;2,5;3\n'],
    ['\t', 'a\tb\n1,2\t3\n'],
    ['|', 'a|b|c\n1|2|3\n'],
    [',', 'email\na@b.example\n']
  ])('parted by %j', async (delimiter, text) =>
    expect((await guessReading([Buffer.from(text)])).delimiter).toBe(delimiter)
  );

  it('far behind, a byte that is not UTF-8 tells that all of it is something else', async () => {
    const bytes = Buffer.concat([Buffer.from('email\n' + 'a@b.example\n'.repeat(40_000)), Buffer.from([0xe9, 10])]);
    expect((await guessReading([bytes])).encoding).toBe('windows-1252');
  });

  it('a line that never ends costs no more than any other', async () => {
    for (const byte of ['a', '1', '"', ' ', 'é', '@'])
      expect(
        await guessReading([Buffer.from(byte.repeat(8 * 1024 * 1024))]).catch((e: Error) => e.constructor.name)
      ).toBeTruthy();
  });

  it('without names of columns the first line is a person', async () => {
    const bytes = Buffer.from('ada@people.example,Ada,+447700900001\ncora@people.example,Cora,\n');
    const reading = await guessReading([bytes]);
    expect(reading.header).toBe(false);
    const { header, rows } = await openTable([bytes], reading);
    expect(header).toEqual(['Column 1', 'Column 2', 'Column 3']);
    const all = (await collected(rows)).flat();
    expect(all.map((r) => r.line)).toEqual([1, 2]);
    const guessed = guessColumns(header, profileOf(3, all, null), new Map());
    expect(guessed.map((c) => c.target)).toEqual(['email', 'field:column_2', 'phone']);
  });

  it('two columns of one name are told apart', async () => {
    const bytes = Buffer.from('town,town,town (2)\na,b,c\n');
    const { header } = await openTable([bytes], await guessReading([bytes]));
    expect(header).toEqual(['town', 'town (3)', 'town (2)']);
  });
});

describe('what columns are', () => {
  const profile = (...cells: string[]) =>
    profileOf(
      1,
      cells.map((cell, i) => ({ line: i + 2, cells: [cell] })),
      null
    )[0]!;
  it.each<[string, string[], object]>([
    ['dates that say their order', ['2027-03-01', '2027-03-02'], { type: 'date', dates: 'day first' }],
    ['dates with one that tells it', ['1/3/2027', '13/3/2027'], { type: 'date', dates: 'day first' }],
    ['dates with one that tells the other', ['1/3/2027', '3/13/2027'], { type: 'date', dates: 'month first' }],
    ['dates that could be either', ['1/3/2027', '2/3/2027'], { type: 'date' }],
    ['dates with a time', ['1.3.2027 14:30', '15.3.2027 9:00'], { type: 'instant', dates: 'day first' }],
    ['numbers', ['1', '2', '300'], { type: 'number', decimal: '.' }],
    ['numbers with commas', ['1,5', '2,75'], { type: 'number', decimal: ',' }],
    ['numbers that could be either', ['1,234', '2,345'], { type: 'number' }],
    ['yes and no', ['yes', 'no', 'Yes'], { type: 'yesno' }],
    ['zero and one', ['0', '1', '1'], { type: 'yesno' }],
    ['several', ['deep sky;planets', 'planets'], { type: 'choices' }],
    ['words', ['Quillmoor', '12'], { type: 'text' }],
    ['nothing', ['', ''], { type: 'text' }]
  ])('%s', (_, cells, expected) => {
    const { type, dates, decimal } = typeOf(profile(...cells));
    expect({ type, ...(dates ? { dates } : {}), ...(decimal ? { decimal } : {}) }).toEqual(expected);
  });

  it('two conventions in one column are asked about', () => {
    const both = profile(
      ...Array.from({ length: 20 }, (_, i) => (i % 2 ? `25/${(i % 9) + 1}/2027` : `${(i % 9) + 1}/25/2027`))
    );
    expect(typeOf(both)).toEqual({ type: 'text' });
    const few = profile(...Array.from({ length: 20 }, (_, i) => (i ? `25/${(i % 9) + 1}/2027` : '1/25/2027')));
    expect(typeOf(few)).toEqual({ type: 'date' });
  });

  it('by their names, in several languages and any case', () =>
    expect(
      guessColumns(
        ['E-MAIL', 'Prénom', 'nachname', 'Móvil', 'Consent text', 'Visit Count', 'email', ''],
        [],
        new Map()
      ).map((c) => c.target)
    ).toEqual(['email', 'first_name', 'last_name', 'phone', 'consent_sms', 'field:visit_count', 'ignore', 'ignore']));

  it('a declared field is read as it is declared', () => {
    const declared = new Map([['level', { type: 'choice' as const, options: ['gold', 'silver'] }]]);
    expect(guessColumns(['Level'], [profile('gold', '12')], declared)).toEqual([
      { target: 'field:level', type: 'choice', options: ['gold', 'silver'] }
    ]);
  });
});

describe('what has to be asked', () => {
  const plan = (change: Partial<ImportPlan>): ImportPlan => ({
    reading: { encoding: 'utf-8', delimiter: ',', header: true },
    columns: [{ target: 'email' }],
    known: 'update',
    misfits: 'refuse',
    tags: [],
    lists: [],
    consent: { email: 'none', sms: 'none', source: '', wording: '' },
    erased: 'refuse',
    begins: true,
    ...change
  });
  it.each<[string, Partial<ImportPlan>, RegExp]>([
    ['where consent was given', { consent: { email: 'given', sms: 'none', source: ' ', wording: '' } }, /source/],
    [
      'which is the day',
      { columns: [{ target: 'email' }, { target: 'field:born', type: 'date' }] },
      /“born”: is the day/
    ],
    [
      'which mark',
      { columns: [{ target: 'email' }, { target: 'field:born', type: 'number' }] },
      /“born”: does a point/
    ],
    ['who they are', { columns: [{ target: 'first_name' }] }, /email address or the phone number/]
  ])('%s', (_, change, question) => expect(openQuestions(plan(change), ['email', 'born'])[0]).toMatch(question));
  it('nothing, where all is said', () => expect(openQuestions(plan({}), ['email'])).toEqual([]));
});
