/** Reading a CSV file as it comes, piece by piece, so that a large one need not be in memory as a whole. */
import { Readable, pipeline } from 'node:stream';
import { parse } from 'csv-parse';
import { isFit, LONGEST } from '../../core/text/text.ts';

/** The largest file taken, in bytes. */
export const MOST_BYTES = 200 * 1024 * 1024;
/** The most people in one file: addresses are kept while it is read, to find those that stand there twice. */
export const MOST_ROWS = 1_000_000;
/** The most columns a file may have. */
export const MOST_COLUMNS = 500;
/** A line longer than this is no line of a table of so many columns. */
const LONGEST_LINE = 4 * 1024 * 1024;
/** What the parser is given at once, in characters: a few milliseconds of work. */
const PIECE = 1 << 16;

export interface Row {
  /** 1-based line of the file. */
  line: number;
  cells: string[];
}

/** A file that was opened: its header, and its rows as they are asked for, once. */
export interface Table {
  header: string[];
  rows: AsyncIterable<Row>;
}

/** A file as a whole that cannot be read. */
export class BadFile extends Error {}

/** What is left to do with a file that cannot be taken. */
export const tooLarge = (bytes: number): string =>
  `This file has ${Math.ceil(bytes / 1048576)} MB; up to ${MOST_BYTES / 1048576} MB are taken. Leave out columns that are not needed, or split it and import the parts one after another.`;

/**
 * Opens a file. Here, and while its rows are read, {@link BadFile} says that it is empty, not UTF-8, not CSV or too long,
 * and on which line.
 */
export async function openTable(
  source: AsyncIterable<Uint8Array> | Iterable<Uint8Array>,
  most = MOST_ROWS
): Promise<Table> {
  const pieces = textOf(source);
  const first = await pieces.next();
  const start = first.done ? '' : first.value;
  if (start.trim() === '')
    throw new BadFile('This file is empty. The first line should name the columns, the others hold one person each.');
  const heading = start.slice(0, start.indexOf('\n') + 1 || undefined);
  const records = recordsOf(start, pieces, delimiterOf(heading));
  const head = await records.next();
  const header = head.done ? [] : head.value.cells;
  const next = await records.next();
  if (next.done) throw new BadFile('This file has a header and no people below it.');
  if (header.length > MOST_COLUMNS)
    throw new BadFile(
      `Line 1: ${header.length.toLocaleString('en')} columns; up to ${MOST_COLUMNS} are taken. Leave out those that are not needed.`
    );
  const long = header.findIndex((name) => name.length > LONGEST.name || !isFit(name));
  if (long >= 0)
    throw new BadFile(
      `Line 1: column ${long + 1} has a name of more than ${LONGEST.name} characters, or with one that no text can have.`
    );
  const seen = new Set<string>();
  const twice = header.find((name) => seen.size === seen.add(name).size);
  if (twice !== undefined) throw new BadFile(`Line 1: the column "${twice}" is there twice. Rename or remove one.`);
  return { header, rows: rowsOf(next.value, records, most) };
}

/** The rows, of which the first was read already. */
async function* rowsOf(first: Row, rest: AsyncGenerator<Row>, most: number): AsyncGenerator<Row> {
  yield first;
  let count = 1;
  for await (const row of rest) {
    if (++count > most)
      throw new BadFile(
        `Line ${row.line}: up to ${most.toLocaleString('en')} people are taken at once. Split the file, and import the parts one after another.`
      );
    yield row;
  }
}

const delimiterOf = (heading: string): string =>
  [',', ';', '\t'].reduce((a, b) => (heading.split(b).length > heading.split(a).length ? b : a));

async function* recordsOf(start: string, rest: AsyncIterable<string>, delimiter: string): AsyncGenerator<Row> {
  const parser = parse({ delimiter, info: true, skip_empty_lines: true, relax_column_count: true, trim: true });
  // What goes wrong on the way destroys the parser with it, and is thrown where its records are read.
  pipeline(Readable.from(small(start, rest)), parser, () => undefined);
  try {
    for await (const { record, info } of parser as AsyncIterable<{ record: string[]; info: { lines: number } }>)
      yield { line: info.lines, cells: record };
  } catch (error) {
    if (error instanceof BadFile || !String((error as { code?: unknown }).code).startsWith('CSV_')) throw error;
    throw new BadFile(
      `This file cannot be read as CSV: ${(error as Error).message}. Check the quotation marks near that line.`
    );
  }
}

async function* small(start: string, rest: AsyncIterable<string>): AsyncGenerator<string> {
  const cut = function* (text: string): Generator<string> {
    for (let from = 0; from < text.length; from += PIECE) yield text.slice(from, from + PIECE);
  };
  yield* cut(start);
  for await (const text of rest) yield* cut(text);
}

/** The text of a file, in pieces that end with a line. */
async function* textOf(source: AsyncIterable<Uint8Array> | Iterable<Uint8Array>): AsyncGenerator<string> {
  let open: Uint8Array = new Uint8Array();
  let line = 1;
  for await (const part of source) {
    const end = part.lastIndexOf(10) + 1;
    const whole = end ? joined(open, part.subarray(0, end)) : null;
    open = whole ? part.slice(end) : joined(open, part);
    if (whole) {
      yield decode(whole, line);
      for (const byte of whole) if (byte === 10) line++;
    }
    if (open.length > LONGEST_LINE)
      throw new BadFile(`Line ${line} is longer than ${LONGEST_LINE / 1048576} MB: this is not a CSV of people.`);
  }
  if (open.length) yield decode(open, line);
}

function joined(a: Uint8Array, b: Uint8Array): Uint8Array {
  if (!a.length) return b;
  const all = new Uint8Array(a.length + b.length);
  all.set(a);
  all.set(b, a.length);
  return all;
}

/** Text of whole lines; `line` is the first one's number. */
function decode(bytes: Uint8Array, line: number): string {
  const decoder = new TextDecoder('utf-8', { fatal: true });
  try {
    return decoder.decode(bytes);
  } catch {
    let start = 0;
    for (let end = bytes.indexOf(10); end >= 0; end = bytes.indexOf(10, start)) {
      if (!reads(decoder, bytes.subarray(start, end))) break;
      start = end + 1;
      line++;
    }
    throw new BadFile(`Line ${line}: this file is not UTF-8. Save it again as "CSV UTF-8"; nothing was imported.`);
  }
}

function reads(decoder: TextDecoder, bytes: Uint8Array): boolean {
  try {
    decoder.decode(bytes);
    return true;
  } catch {
    return false;
  }
}
