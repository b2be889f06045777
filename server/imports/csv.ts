/** Reading a CSV file as it comes, piece by piece, so that a large one need not be in memory as a whole. */
import { Readable, pipeline } from 'node:stream';
import { CsvError, parse } from 'csv-parse';
import { isFit, LONGEST } from '../../core/text/text.ts';
import { guessDelimiter, guessEncoding, namesColumns, tellingWords, type Encoding, type Reading } from './reading.ts';

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
/** What a file's encoding and delimiter are guessed from, in bytes. */
const SAMPLE = 256 * 1024;
/** So many bytes of words that are not ASCII tell encodings apart. */
const TELLING = 16 * 1024;

export interface Row {
  /** 1-based line of the file. */
  line: number;
  cells: string[];
}

/** A file that was opened: its header, and its rows as they are asked for, once. */
export interface Table {
  reading: Reading;
  header: string[];
  rows: AsyncIterable<Row>;
}

/** A file as a whole that cannot be read. */
export class BadFile extends Error {}

export type Bytes = AsyncIterable<Uint8Array> | Iterable<Uint8Array>;

/** What is left to do with a file that cannot be taken. */
export const tooLarge = (bytes: number): string =>
  `This file has ${Math.ceil(bytes / 1048576)} MB; up to ${MOST_BYTES / 1048576} MB are taken. Leave out columns that are not needed, or split it and import the parts one after another.`;

/**
 * How a file is written, guessed from all of its bytes (for the encoding) and its first lines.
 * @throws {BadFile} where there is nothing in it.
 */
export async function guessReading(source: Bytes): Promise<Reading> {
  let start: Uint8Array = new Uint8Array();
  let telling = '';
  let utf8 = true;
  const decoder = new TextDecoder('utf-8', { fatal: true });
  for await (const part of source) {
    if (start.length < SAMPLE) start = joined(start, part.subarray(0, SAMPLE - start.length));
    if (telling.length < TELLING) telling += tellingWords(part);
    utf8 &&= decodes(decoder, part, true);
    if (!utf8 && start.length >= SAMPLE && telling.length >= TELLING) break;
  }
  utf8 &&= decodes(decoder, new Uint8Array(), false);
  const encoding = guessEncoding(start, Buffer.from(telling, 'latin1'), utf8);
  // The last character of the beginning may be cut.
  const text = new TextDecoder(encoding).decode(start, { stream: true });
  const delimiter = guessDelimiter(text);
  const first = await recordsOf(text, nothing(), delimiter, 1).next();
  return { encoding, delimiter, header: first.done ? true : namesColumns(first.value.cells) };
}

function decodes(decoder: TextDecoder, bytes: Uint8Array, stream: boolean): boolean {
  try {
    decoder.decode(bytes, { stream });
    return true;
  } catch {
    return false;
  }
}

async function* nothing(): AsyncGenerator<string> {}

/**
 * Opens a file, read as it is said to be written. Here, and while its rows are read, {@link BadFile} says that it is empty,
 * not in that encoding, not CSV or too long, and on which line.
 */
export async function openTable(source: Bytes, reading: Reading, most = MOST_ROWS): Promise<Table> {
  const pieces = reading.encoding === 'utf-8' ? textOf(source) : decoded(source, reading.encoding);
  const first = await pieces.next();
  const start = first.done ? '' : first.value;
  if (start.trim() === '')
    throw new BadFile('This file is empty. The first line should name the columns, the others hold one person each.');
  const records = recordsOf(start, pieces, reading.delimiter);
  const head = await records.next();
  const cells = head.done ? [] : head.value.cells;
  if (cells.length > MOST_COLUMNS)
    throw new BadFile(
      `Line 1: ${cells.length.toLocaleString('en')} columns; up to ${MOST_COLUMNS} are taken. Leave out those that are not needed.`
    );
  if (!reading.header && !head.done)
    return { reading, header: cells.map((_, i) => `Column ${i + 1}`), rows: rowsOf(head.value, records, most) };
  const next = await records.next();
  if (next.done) throw new BadFile('This file has a header and no people below it.');
  const long = cells.findIndex((name) => name.length > LONGEST.name || !isFit(name));
  if (long >= 0)
    throw new BadFile(
      `Line 1: column ${long + 1} has a name of more than ${LONGEST.name} characters, or with one that no text can have.`
    );
  return { reading, header: named(cells), rows: rowsOf(next.value, records, most) };
}

/** Names of columns, each once: a second one of a name is told apart by its number. */
function named(cells: string[]): string[] {
  const seen = new Set(cells);
  const given = new Set<string>();
  return cells.map((name) => {
    let own = name;
    for (let n = 2; given.has(own) || (own !== name && seen.has(own)); n++) own = `${name} (${n})`;
    given.add(own);
    return own;
  });
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

async function* recordsOf(
  start: string,
  rest: AsyncIterable<string>,
  delimiter: string,
  to?: number
): AsyncGenerator<Row> {
  const parser = parse({
    delimiter,
    info: true,
    skip_empty_lines: true,
    relax_column_count: true,
    // A quotation mark inside a cell without any around it is only that.
    relax_quotes: true,
    trim: true,
    bom: true,
    ...(to === undefined ? {} : { to })
  });
  // What goes wrong on the way destroys the parser with it, and is thrown where its records are read.
  pipeline(Readable.from(small(start, rest)), parser, () => undefined);
  try {
    for await (const { record, info } of parser as AsyncIterable<{ record: string[]; info: { lines: number } }>)
      yield { line: info.lines, cells: record };
  } catch (error) {
    if (!(error instanceof CsvError)) throw error;
    throw new BadFile(`This file cannot be read as CSV: ${error.message}. Check the quotation marks near that line.`);
  }
}

async function* small(start: string, rest: AsyncIterable<string>): AsyncGenerator<string> {
  const cut = function* (text: string): Generator<string> {
    for (let from = 0; from < text.length; from += PIECE) yield text.slice(from, from + PIECE);
  };
  yield* cut(start);
  for await (const text of rest) yield* cut(text);
}

/** The text of a file in another encoding than UTF-8, as it comes. What is no character of it becomes U+FFFD. */
async function* decoded(source: Bytes, encoding: Encoding): AsyncGenerator<string> {
  const decoder = new TextDecoder(encoding);
  let since = 0;
  for await (const part of source) {
    const text = decoder.decode(part, { stream: true });
    const end = text.lastIndexOf('\n');
    since = end < 0 ? since + text.length : text.length - end;
    if (since > LONGEST_LINE)
      throw new BadFile(
        `There is a line longer than ${LONGEST_LINE / 1048576} MB: this is not a CSV of people in ${encoding}.`
      );
    if (text) yield text;
  }
  const end = decoder.decode();
  if (end) yield end;
}

/** The text of a file of UTF-8, in pieces that end with a line. */
async function* textOf(source: Bytes): AsyncGenerator<string> {
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
    throw new BadFile(
      `Line ${line}: this file is not UTF-8. Choose another encoding above, or save it again as "CSV UTF-8"; nothing was imported.`
    );
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
