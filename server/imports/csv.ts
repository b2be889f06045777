/** Reading a CSV file as it comes, piece by piece, so that a large one need not be in memory as a whole. */
import { isAscii } from 'node:buffer';
import { isFit, LONGEST } from '../../core/text/text.ts';
import { readRecords } from './records.ts';
import { guessDelimiter, guessEncoding, namesColumns, tellingWords, type Encoding, type Reading } from './reading.ts';

/** The largest file taken, in bytes. */
export const MOST_BYTES = 200 * 1024 * 1024;
/** The most people in one file: addresses are kept while it is read, to find those that stand there twice. */
export const MOST_ROWS = 1_000_000;
/** The most columns a file may have. */
export const MOST_COLUMNS = 500;
/** A line longer than this is no line of a table of so many columns. */
const LONGEST_LINE = 4 * 1024 * 1024;
/** What is read at once, in bytes: a few milliseconds of work. */
const PIECE = 1 << 16;
/** What a file's encoding and delimiter are guessed from, in bytes. */
const SAMPLE = 256 * 1024;
/** So many bytes of words that are not ASCII tell encodings apart. */
const TELLING = 16 * 1024;

export interface Row {
  /** Where it begins: 1-based line of the file. */
  line: number;
  /** Without white space around them. */
  cells: string[];
}

/** A file that was opened: its header, and its rows as they are asked for, some at a time, once. */
export interface Table {
  reading: Reading;
  header: string[];
  rows: AsyncIterable<Row[]>;
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
    if (telling.length < TELLING && !isAscii(part)) telling += tellingWords(part);
    utf8 &&= decodes(decoder, part, true);
    if (!utf8 && start.length >= SAMPLE && telling.length >= TELLING) break;
  }
  utf8 &&= decodes(decoder, new Uint8Array(), false);
  const encoding = guessEncoding(start, Buffer.from(telling, 'latin1'), utf8);
  // The last character of the beginning may be cut.
  const text = new TextDecoder(encoding).decode(start, { stream: true });
  const delimiter = guessDelimiter(text);
  const first = readRecords(`${linesOf(text)}\n`, delimiter).records[0];
  return { encoding, delimiter, header: !first || namesColumns(first) };
}

function decodes(decoder: TextDecoder, bytes: Uint8Array, stream: boolean): boolean {
  try {
    decoder.decode(bytes, { stream });
    return true;
  } catch {
    return false;
  }
}

/**
 * Opens a file, read as it is said to be written. Here, and while its rows are read, {@link BadFile} says that it is empty,
 * not in that encoding, not CSV or too long, and on which line.
 */
export async function openTable(source: Bytes, reading: Reading, most = MOST_ROWS): Promise<Table> {
  const pieces = reading.encoding === 'utf-8' ? textOf(source) : decoded(source, reading.encoding);
  const all = recordsOf(pieces, reading.delimiter);
  const start = await all.next();
  if (start.done)
    throw new BadFile('This file is empty. The first line should name the columns, the others hold one person each.');
  let rows = start.value;
  const cells = rows[0]?.cells ?? [];
  if (cells.length > MOST_COLUMNS)
    throw new BadFile(
      `Line 1: ${cells.length.toLocaleString('en')} columns; up to ${MOST_COLUMNS} are taken. Leave out those that are not needed.`
    );
  if (!reading.header)
    return { reading, header: cells.map((_, i) => `Column ${i + 1}`), rows: atMost(most, rows, all) };
  rows = rows.slice(1);
  if (!rows.length) {
    const next = await all.next();
    if (next.done) throw new BadFile('This file has a header and no people below it.');
    rows = next.value;
  }
  const long = cells.findIndex((name) => name.length > LONGEST.name || !isFit(name));
  if (long >= 0)
    throw new BadFile(
      `Line 1: column ${long + 1} has a name of more than ${LONGEST.name} characters, or with one that no text can have.`
    );
  return { reading, header: named(cells), rows: atMost(most, rows, all) };
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

/** The rows, of which the first were read already. */
async function* atMost(most: number, first: Row[], rest: AsyncGenerator<Row[]>): AsyncGenerator<Row[]> {
  let count = 0;
  for (let rows = first; ;) {
    const over = rows[most - count];
    if (over)
      throw new BadFile(
        `Line ${over.line}: up to ${most.toLocaleString('en')} people are taken at once. Split the file, and import the parts one after another.`
      );
    count += rows.length;
    yield rows;
    const next = await rest.next();
    if (next.done) return;
    rows = next.value;
  }
}

/** Rows of a text that comes in pieces of whole lines; never none at once. A cell between quotation marks may go over several pieces. */
async function* recordsOf(pieces: AsyncIterable<string>, delimiter: string): AsyncGenerator<Row[]> {
  let line = 1;
  let open = '';
  // What is not closed yet is looked at again only when it has become twice as long.
  let enough = 0;
  const take = function* (): Generator<Row[]> {
    const { records, rest } = readRecords(open, delimiter);
    const rows: Row[] = [];
    for (const cells of records) {
      const from = line++;
      for (let i = 0; i < cells.length; i++) {
        const cell = cells[i] ?? '';
        line += linesIn(cell);
        cells[i] = cell.trim();
      }
      if (cells.length > 1 || cells[0]) rows.push({ line: from, cells });
    }
    if (rest.length > LONGEST_LINE) throw unclosed(line);
    open = rest;
    enough = rest.length * 2;
    if (rows.length) yield rows;
  };
  for await (const piece of pieces) {
    open += piece;
    if (open.length >= enough) yield* take();
  }
  if (open && !open.endsWith('\n')) open += '\n';
  if (open) yield* take();
  if (open) throw unclosed(line);
}

const unclosed = (line: number): BadFile =>
  new BadFile(
    `This file cannot be read as CSV: a quotation mark is opened in line ${line} and not closed. Check the quotation marks near that line.`
  );

function linesIn(text: string): number {
  let count = 0;
  for (let at = text.indexOf('\n'); at >= 0; at = text.indexOf('\n', at + 1)) count++;
  return count;
}

/** The text of a file in another encoding than UTF-8, in pieces that end with a line. What is no character of it becomes U+FFFD. */
async function* decoded(source: Bytes, encoding: Encoding): AsyncGenerator<string> {
  const decoder = new TextDecoder(encoding);
  let open = '';
  for await (const part of small(source)) {
    open += decoder.decode(part, { stream: true });
    const end = lineEnd(open.lastIndexOf('\n'), open.lastIndexOf('\r'), open.length);
    if (end) yield linesOf(open.slice(0, end));
    open = open.slice(end);
    if (open.length > LONGEST_LINE)
      throw new BadFile(
        `There is a line longer than ${LONGEST_LINE / 1048576} MB: this is not a CSV of people in ${encoding}.`
      );
  }
  open += decoder.decode();
  if (open) yield linesOf(open);
}

/** The text of a file of UTF-8, in pieces that end with a line. */
async function* textOf(source: Bytes): AsyncGenerator<string> {
  let open: Uint8Array = new Uint8Array();
  let line = 1;
  for await (const part of small(source)) {
    const end = lineEnd(part.lastIndexOf(LF), part.lastIndexOf(CR), part.length);
    const whole = end ? joined(open, part.subarray(0, end)) : null;
    open = whole ? part.slice(end) : joined(open, part);
    if (whole) {
      const text = linesOf(decode(whole, line));
      line += linesIn(text);
      yield text;
    }
    if (open.length > LONGEST_LINE)
      throw new BadFile(`Line ${line} is longer than ${LONGEST_LINE / 1048576} MB: this is not a CSV of people.`);
  }
  if (open.length) yield linesOf(decode(open, line));
}

const [LF, CR] = [10, 13];
/**
 * Behind which place the last whole line ends; 0 for none. A carriage return alone ends one as well; of one at the very end
 * it is not known yet whether it stands alone.
 */
const lineEnd = (lf: number, cr: number, length: number): number => Math.max(lf, cr === length - 1 ? -1 : cr) + 1;

/** Lines that all end in the same way. */
const linesOf = (text: string): string => (text.includes('\r') ? text.replace(/\r\n?/g, '\n') : text);

async function* small(source: Bytes): AsyncGenerator<Uint8Array> {
  for await (const part of source)
    for (let from = 0; from < part.length; from += PIECE) yield part.subarray(from, from + PIECE);
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
