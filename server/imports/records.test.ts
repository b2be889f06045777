/** Records of CSVs as they are really written: the same whichever way they are read, and wherever they are cut. */
import { parse } from 'csv-parse/sync';
import { stringify } from 'csv-stringify/sync';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { collected } from '../../tests/make.ts';
import { openTable } from './csv.ts';
import { readRecords } from './records.ts';
import { DELIMITERS, type Delimiter } from './reading.ts';

const delimiter = fc.constantFrom<Delimiter>(...DELIMITERS);
const cell = fc.string({
  unit: fc.constantFrom('a', 'b', 'é', ' ', ',', ';', '|', '\t', '"', '\n', "'"),
  maxLength: 6
});
const trimmed = (rows: string[][]): string[][] => rows.map((row) => row.map((c) => c.trim()));

/** What our reading must come to: all of a text read at once by csv-parse; `null` where a quotation mark is not closed. */
function reference(text: string): string[][] | null {
  for (const trim of [true, false])
    try {
      const read = parse(text, { record_delimiter: '\n', relax_column_count: true, relax_quotes: true, trim });
      return trimmed(read as string[][]);
    } catch (error) {
      if ((error as { code?: string }).code === 'CSV_QUOTE_NOT_CLOSED') return null;
    }
  throw new Error('csv-parse refused it');
}

describe('records', () => {
  it('of any table are the cells that were written, wherever the file is cut and however lines end', async () => {
    const table = fc.array(fc.tuple(fc.constant('x'), cell, cell), { minLength: 1, maxLength: 6 });
    const runs = fc.tuple(
      table,
      delimiter,
      fc.boolean(),
      fc.constantFrom('\n', '\r\n', '\r'),
      fc.integer({ min: 1, max: 9 })
    );
    await fc.assert(
      fc.asyncProperty(runs, async ([rows, by, quoted, end, size]) => {
        const text = stringify([['one', 'two', 'three'], ...rows], {
          delimiter: by,
          quoted,
          record_delimiter: end,
          quoted_match: /\n/
        });
        const bytes = new TextEncoder().encode(text);
        const parts = Array.from({ length: Math.ceil(bytes.length / size) }, (_, i) =>
          bytes.subarray(i * size, (i + 1) * size)
        );
        const read = await collected((await openTable(parts, { encoding: 'utf-8', delimiter: by, header: true })).rows);
        expect(read.flat().map((r) => r.cells)).toEqual(trimmed(rows));
        let line = 2;
        const lines = rows.map((row) => {
          const from = line;
          line += row.join('').split('\n').length;
          return from;
        });
        expect(read.flat().map((r) => r.line)).toEqual(lines);
      }),
      { numRuns: 400 }
    );
  });

  it('of text that nobody wrote as a CSV are those that csv-parse finds', () => {
    const text = fc.string({ unit: fc.constantFrom('a', ' ', ',', '"', '\n'), maxLength: 24 });
    let forgiven = 0;
    fc.assert(
      fc.property(text, (written) => {
        const whole = `${written}\n`;
        const { records, rest } = readRecords(whole, ',');
        const expected = reference(whole);
        if (expected === null) expect(rest).not.toBe('');
        else {
          expect(rest).toBe('');
          expect(trimmed(records)).toEqual(expected);
          if (whole.includes('"')) forgiven++;
        }
      }),
      { numRuns: 3000 }
    );
    expect(forgiven).toBeGreaterThan(100);
  });

  it.each<[string, string, string[][]]>([
    ['a quotation mark behind a space', 'a, "b,c"\n', [['a', 'b,c']]],
    ['a quotation mark inside a cell', 'a,5" tube\n', [['a', '5" tube']]],
    ['words behind a quoted one', 'a,"Quill" tower,b\n', [['a', '"Quill" tower', 'b']]]
  ])('%s', (_, text, expected) => expect(readRecords(text, ',')).toEqual({ records: expected, rest: '' }));

  it.each<[string, string]>([
    ['inside a cell', `"${'a"'.repeat(300_000)}${' '.repeat(300_000)},x`],
    ['of several', `"${'a""" '.repeat(200_000)}${' '.repeat(300_000)},x`],
    ['behind white space', `${' '.repeat(500_000)}"${' "'.repeat(300_000)}`]
  ])('a million quotation marks %s are no more work than as many letters', (_, line) => {
    const { records } = readRecords(`${line}\n${line}\na,b\n`, ',');
    expect(records.length).toBeLessThan(4);
  });

  it('a cell of many pieces is read at once, and one that never ends is refused before it is all in memory', async () => {
    const reading = { encoding: 'utf-8', delimiter: ',', header: true } as const;
    const long = Buffer.from(`email,note\na@b.example,"${'two\nlines '.repeat(100_000)}"\nc@d.example,x\n`);
    const rows = (await collected((await openTable([long], reading)).rows)).flat();
    expect(rows.map((r) => r.line)).toEqual([2, 100_003]);
    let given = 0;
    const endless = function* (): Generator<Uint8Array> {
      yield Buffer.from('email,note\na@b.example,"');
      for (; given < 500; given++) yield Buffer.from('never closed\n'.repeat(5000));
    };
    const read = openTable(endless(), reading).then(({ rows }) => collected(rows));
    await expect(read).rejects.toThrow(/opened in line 2 and not closed/);
    expect(given).toBeLessThan(200);
  });
});
