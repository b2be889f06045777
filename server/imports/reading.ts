/** How a file is written: its encoding, what parts its cells, whether its first line names the columns. Guessed, said, and open to be changed. */
import { analyse } from 'chardet';
import Papa from 'papaparse';
import { z } from 'zod';

/** Encodings that spreadsheets and other systems write, by their names of the WHATWG. */
export const ENCODINGS = [
  'utf-8',
  'utf-16le',
  'utf-16be',
  'windows-1252',
  'windows-1250',
  'windows-1251',
  'windows-1253',
  'windows-1254',
  'iso-8859-2',
  'iso-8859-15',
  'macintosh',
  'shift_jis',
  'gb18030',
  'big5',
  'euc-kr'
] as const;
export type Encoding = (typeof ENCODINGS)[number];
export const DELIMITERS = [',', ';', '\t', '|'] as const;
export type Delimiter = (typeof DELIMITERS)[number];

export const readingSchema = z.strictObject({
  encoding: z.enum(ENCODINGS),
  delimiter: z.enum(DELIMITERS),
  /** Whether the first line names the columns. */
  header: z.boolean()
});
export type Reading = z.infer<typeof readingSchema>;

/** How much surer of another encoding one has to be: files are taken as what spreadsheets in western Europe write otherwise. */
const SURER = 15;

/**
 * Words with a letter that is not ASCII, byte by byte: all the others are alike in every encoding, and only speak for English.
 * Words are cut out whole and looked at one by one, so that a line without an end costs no more than any other.
 */
export function tellingWords(bytes: Uint8Array): string {
  const text = Buffer.from(bytes.buffer, bytes.byteOffset, bytes.length).toString('latin1');
  let words = '';
  for (const [word] of text.matchAll(/[A-Za-z\x80-\xff]+/g)) if (/[\x80-\xff]/.test(word)) words += `${word} `;
  return words;
}

/**
 * The encoding of a file, by its mark or by its bytes. `telling`: its {@link tellingWords};
 * `utf8`: whether all of it is UTF-8.
 * A file of ISO-8859-1 is read as windows-1252, which has the same characters and those that are meant besides.
 */
export function guessEncoding(start: Uint8Array, telling: Uint8Array, utf8: boolean): Encoding {
  if (start[0] === 0xff && start[1] === 0xfe) return 'utf-16le';
  if (start[0] === 0xfe && start[1] === 0xff) return 'utf-16be';
  const looked = start.subarray(0, 4096);
  const [even, odd] = [0, 1].map((first) => looked.filter((byte, i) => byte === 0 && i % 2 === first).length);
  const [many, few] = [looked.length / 5, looked.length / 50];
  // Text of the Latin alphabet in two bytes a character, without a mark.
  if (odd !== undefined && even !== undefined) {
    if (odd > many && even < few) return 'utf-16le';
    if (even > many && odd < few) return 'utf-16be';
  }
  if (utf8) return 'utf-8';
  const guesses = analyse(telling).map(({ name, confidence }) => ({
    name: /^(?:ISO-8859-1|windows-1252)$/i.test(name) ? 'windows-1252' : name.toLowerCase(),
    confidence
  }));
  const western = guesses.find((g) => g.name === 'windows-1252')?.confidence ?? 0;
  const best = guesses.find((g) => g.name !== 'utf-8' && (ENCODINGS as readonly string[]).includes(g.name));
  return best && best.confidence > western + SURER ? (best.name as Encoding) : 'windows-1252';
}

/** What parts the cells, by the first lines. */
export function guessDelimiter(text: string): Delimiter {
  const { meta } = Papa.parse(text, { preview: 20, delimitersToGuess: [...DELIMITERS], skipEmptyLines: true });
  return DELIMITERS.find((d) => d === meta.delimiter) ?? ',';
}

/** Whether a cell may be an email address: two parts and an at between, no longer than one can be. */
export const looksLikeEmail = (cell: string): boolean =>
  cell.length <= 254 && /^[^\s@]+@[^\s@]+$/.test(cell) && cell.includes('.');

/** Whether a first line names columns: none of its cells is an address or a number. */
export const namesColumns = (cells: readonly string[]): boolean =>
  !cells.some((c) => looksLikeEmail(c.trim()) || /^\+?[\d\s()/.-]{4,40}$/.test(c.trim()));
