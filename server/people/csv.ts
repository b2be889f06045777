/** Reading a CSV of people: which column is what, which rows are good, which are refused and why. */
import { parse } from 'csv-parse/sync';
import { parsePhoneNumberFromString, type CountryCode } from 'libphonenumber-js/min';
import { z } from 'zod';
import { isZone } from '../../core/time/civil.ts';
import type { ConsentState } from '../../core/person/state.ts';

/** The largest file taken at once, in bytes: about 250,000 people. */
export const MOST_BYTES = 25 * 1024 * 1024;

export const TARGETS = [
  'email',
  'phone',
  'first_name',
  'last_name',
  'zone',
  'tags',
  'lists',
  'consent_email',
  'consent_sms'
] as const;
/** What a column is taken as: one of ours, a field by name, or nothing. */
export type Target = (typeof TARGETS)[number] | `field:${string}` | 'ignore';
export const targetSchema = z
  .string()
  .refine(
    (t): t is Target =>
      t === 'ignore' || (TARGETS as readonly string[]).includes(t) || /^field:[a-z][a-z0-9_]{0,39}$/.test(t),
    {
      error: 'expected a known column or a field name'
    }
  );

export interface Refused {
  /** 1-based line of the file. */
  line: number;
  /** Name of the column; `null` for the row as a whole. */
  column: string | null;
  found: string;
  reason: string;
}

export interface GoodRow {
  line: number;
  email: string | null;
  phone: string | null;
  first_name: string | null;
  last_name: string | null;
  zone: string | null;
  tags: string[];
  lists: string[];
  consent_email: ConsentState | null;
  consent_sms: ConsentState | null;
  fields: Record<string, string>;
}

export interface Table {
  header: string[];
  rows: { line: number; cells: string[] }[];
}

/** A file as a whole that cannot be read. */
export class BadFile extends Error {}

/** Splits a file into rows; throws {@link BadFile} where it is empty, not UTF-8 or not CSV, naming the line. */
export function readTable(bytes: Uint8Array): Table {
  if (bytes.length > MOST_BYTES) {
    throw new BadFile(
      `This file has ${Math.round(bytes.length / 1048576)} MB; up to ${MOST_BYTES / 1048576} MB are taken at once (about 250,000 people). Split it, and import the parts one after another.`
    );
  }
  const text = decode(bytes);
  if (text.trim() === '')
    throw new BadFile('This file is empty. The first line should name the columns, the others hold one person each.');
  const first = text.slice(0, text.indexOf('\n') + 1 || undefined);
  const delimiter = [',', ';', '\t'].reduce((a, b) => (first.split(b).length > first.split(a).length ? b : a));
  let records: { record: string[]; info: { lines: number } }[];
  try {
    records = parse(text, {
      delimiter,
      info: true,
      skip_empty_lines: true,
      relax_column_count: true,
      trim: true
    }) as unknown as typeof records;
  } catch (error) {
    throw new BadFile(
      `This file cannot be read as CSV: ${(error as Error).message}. Check the quotation marks near that line.`
    );
  }
  const [head, ...rest] = records;
  const header = head?.record ?? [];
  if (!rest.length) throw new BadFile('This file has a header and no people below it.');
  const twice = header.find((name, i) => header.indexOf(name) !== i);
  if (twice !== undefined) throw new BadFile(`Line 1: the column "${twice}" is there twice. Rename or remove one.`);
  return { header, rows: rest.map((r) => ({ line: r.info.lines, cells: r.record })) };
}

function decode(bytes: Uint8Array): string {
  try {
    return new TextDecoder('utf-8', { fatal: true }).decode(bytes);
  } catch {
    let line = 1;
    let start = 0;
    for (let i = 0; i <= bytes.length; i++) {
      if (i < bytes.length && bytes[i] !== 10) continue;
      try {
        new TextDecoder('utf-8', { fatal: true }).decode(bytes.subarray(start, i));
      } catch {
        throw new BadFile(`Line ${line}: this file is not UTF-8. Save it again as "CSV UTF-8"; nothing was imported.`);
      }
      line++;
      start = i + 1;
    }
    throw new BadFile('This file is not UTF-8. Save it again as "CSV UTF-8"; nothing was imported.');
  }
}

const SYNONYMS: Record<string, Target> = {
  email: 'email',
  mail: 'email',
  emailaddress: 'email',
  phone: 'phone',
  mobile: 'phone',
  telephone: 'phone',
  phonenumber: 'phone',
  firstname: 'first_name',
  givenname: 'first_name',
  lastname: 'last_name',
  surname: 'last_name',
  familyname: 'last_name',
  zone: 'zone',
  timezone: 'zone',
  tags: 'tags',
  tag: 'tags',
  lists: 'lists',
  list: 'lists',
  consentemail: 'consent_email',
  consentsms: 'consent_sms',
  consenttext: 'consent_sms'
};

/** A field's name made of a column's: `Home town` is `home_town`. */
export function fieldName(column: string): string {
  const plain = column
    .normalize('NFKD')
    .replace(/\p{M}/gu, '')
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '_')
    .replace(/^[_0-9]+|_+$/g, '');
  return plain.slice(0, 40) || 'field';
}

/** What each column most likely is. A column of no known name becomes a field of that name. */
export function guessTargets(header: string[]): Target[] {
  const used = new Set<Target>();
  return header.map((name) => {
    const guess = SYNONYMS[name.toLowerCase().replace(/[^a-z]/g, '')] ?? (`field:${fieldName(name)}` as const);
    if (name === '' || used.has(guess)) return 'ignore';
    used.add(guess);
    return guess;
  });
}

const email = z.email().max(254);

/** Sorts the rows into good and refused. One address occurs once; the first row with it is kept. */
export function checkRows(
  table: Table,
  targets: Target[],
  country: CountryCode
): { good: GoodRow[]; refused: Refused[] } {
  const good: GoodRow[] = [];
  const refused: Refused[] = [];
  const seen = new Map<string, number>();
  for (const { line, cells } of table.rows) {
    const row = readRow(line, cells, table.header, targets, country);
    if ('reason' in row) {
      refused.push(row);
      continue;
    }
    const addresses = [row.email, row.phone].filter((a): a is string => a !== null);
    const twin = addresses.find((a) => seen.has(a));
    if (twin !== undefined) {
      refused.push({ line, column: null, found: twin, reason: `the same address stands on line ${seen.get(twin)}` });
      continue;
    }
    for (const a of addresses) seen.set(a, line);
    good.push(row);
  }
  return { good, refused };
}

const LABELS = /[;|]/;

function readRow(
  line: number,
  cells: string[],
  header: string[],
  targets: Target[],
  country: CountryCode
): GoodRow | Refused {
  const row: GoodRow = {
    line,
    email: null,
    phone: null,
    first_name: null,
    last_name: null,
    zone: null,
    tags: [],
    lists: [],
    consent_email: null,
    consent_sms: null,
    fields: {}
  };
  if (cells.length > header.length) {
    return { line, column: null, found: `${cells.length} cells`, reason: `the header names ${header.length} columns` };
  }
  for (const [i, target] of targets.entries()) {
    const cell = (cells[i] ?? '').trim();
    const column = header[i] ?? '';
    const refuse = (reason: string): Refused => ({ line, column, found: cell.slice(0, 80), reason });
    if (cell === '' || target === 'ignore') continue;
    if (cell.length > 2000) return refuse('longer than 2,000 characters');
    switch (target) {
      case 'email': {
        const read = email.safeParse(cell.toLowerCase());
        if (!read.success) return refuse('not an email address');
        row.email = read.data;
        break;
      }
      case 'phone': {
        const number = parsePhoneNumberFromString(cell, country);
        if (!number?.isPossible()) return refuse('not a phone number; write it as +44 7700 900123');
        row.phone = number.number;
        break;
      }
      case 'zone':
        if (!isZone(cell)) return refuse('not a time zone; write it as Europe/Dublin');
        row.zone = cell;
        break;
      case 'consent_email':
      case 'consent_sms': {
        const state = consentOf(cell);
        if (!state) return refuse('not a consent; write given, pending or withdrawn');
        row[target] = state;
        break;
      }
      case 'tags':
      case 'lists':
        row[target] = [
          ...new Set(
            cell
              .split(LABELS)
              .map((t) => t.trim())
              .filter(Boolean)
          )
        ];
        break;
      case 'first_name':
      case 'last_name':
        row[target] = cell;
        break;
      default:
        row.fields[target.slice('field:'.length)] = cell;
    }
  }
  if (!row.email && !row.phone)
    return { line, column: null, found: '', reason: 'no address at all: neither email nor phone' };
  return row;
}

function consentOf(cell: string): ConsentState | null {
  const word = cell.toLowerCase();
  if (['given', 'yes', 'true', '1'].includes(word)) return 'given';
  if (word === 'pending') return 'pending';
  return ['withdrawn', 'no', 'false', '0'].includes(word) ? 'withdrawn' : null;
}
