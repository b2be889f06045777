/**
 * Records of a CSV. Papa Parse reads them, ten times as fast as csv-parse, as long as quotation marks stand around whole cells and
 * nowhere else; what has others is read by csv-parse, which forgives them, and takes no longer for many of them than for few. Both give
 * the same where a file is written as it should be (`records.test.ts` holds them to it).
 */
import { CsvError, parse } from 'csv-parse/sync';
import Papa from 'papaparse';

export interface Records {
  records: string[][];
  /** What comes behind the last whole record: the beginning of one that is not whole. */
  rest: string;
}

/** Reads text that begins with a record and ends with a line (`\n`), not necessarily with a record. Empty lines are records of one empty cell. */
export function readRecords(text: string, delimiter: string): Records {
  const odd = text.includes('"') && ODD[delimiter]?.test(text);
  const read =
    (odd ? null : plainly(text, delimiter)) ?? forgiving(text, delimiter, true) ?? forgiving(text, delimiter, false);
  if (!read) throw new Error('csv-parse refused what it was asked to forgive');
  return read;
}

/** A quotation mark inside a cell, or behind white space at its beginning, by delimiter. A tab that parts cells is no white space. */
const ODD: Record<string, RegExp> = {
  ',': /[^,\n]"[^,\n"]|(?:^|,)[ \t]+"/m,
  ';': /[^;\n]"[^;\n"]|(?:^|;)[ \t]+"/m,
  '|': /[^|\n]"[^|\n"]|(?:^|\|)[ \t]+"/m,
  '\t': /[^\t\n]"[^\t\n"]|(?:^|\t) +"/m
};

/** `null`: something is not as it should be. */
function plainly(text: string, delimiter: string): Records | null {
  const { data, errors, meta } = new Papa.Parser({ delimiter, newline: '\n' }).parse(text, 0, true) as {
    data: string[][];
    errors: unknown[];
    meta: { cursor: number };
  };
  return errors.length ? null : { records: data, rest: text.slice(meta.cursor) };
}

/** `trim`: whether white space around quotation marks is left out; `null` where words stand behind a quoted cell: such a cell is taken as it stands without. */
function forgiving(text: string, delimiter: string, trim: boolean): Records | null {
  const records: string[][] = [];
  let read = 0;
  try {
    parse(text, {
      delimiter,
      record_delimiter: '\n',
      info: true,
      relax_column_count: true,
      relax_quotes: true,
      trim,
      on_record: (each: unknown) => {
        const { record, info } = each as { record: string[]; info: { bytes: number } };
        records.push(record);
        read = info.bytes;
        return null;
      }
    });
    return { records, rest: '' };
  } catch (error) {
    if (!(error instanceof CsvError)) throw error;
    if (error.code === 'CSV_QUOTE_NOT_CLOSED') return { records, rest: Buffer.from(text).subarray(read).toString() };
    if (trim && error.code === 'CSV_NON_TRIMABLE_CHAR_AFTER_CLOSING_QUOTE') return null;
    throw error;
  }
}
