/** Rows of a CSV of people: which column is what, which rows are good, which are refused and why. */
import { isFit, LONGEST } from '../../core/text/text.ts';
import { parsePhoneNumberFromString, type CountryCode } from 'libphonenumber-js/min';
import { z } from 'zod';
import { isZone } from '../../core/time/civil.ts';
import type { ConsentState } from '../../core/person/values.ts';
import type { Table } from './csv.ts';

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
/** Tags, or lists, that one cell may name. */
const MOST_LABELS = 100;

/** Reads rows of a file one after another, good or refused. One address occurs once; the first row with it is kept. */
export async function* checkRows(
  { header, rows }: Table,
  targets: Target[],
  country: CountryCode | null
): AsyncGenerator<GoodRow | Refused> {
  const seen = new Map<string, number>();
  for await (const { line, cells } of rows) {
    const row = readRow(line, cells, header, targets, country);
    if (isRefused(row)) {
      yield row;
      continue;
    }
    const addresses = [row.email, row.phone].filter((a): a is string => a !== null);
    const twin = addresses.find((a) => seen.has(a));
    if (twin === undefined) {
      for (const a of addresses) seen.set(a, line);
      yield row;
    } else yield { line, column: null, found: twin, reason: `the same address stands on line ${seen.get(twin)}` };
  }
}

export const isRefused = (row: GoodRow | Refused): row is Refused => 'reason' in row;

const LABELS = /[;|]/;

function readRow(
  line: number,
  cells: string[],
  header: string[],
  targets: Target[],
  country: CountryCode | null
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
    if (cell.length > LONGEST.words) return refuse('longer than 2,000 characters');
    if (!isFit(cell)) return refuse('holds a character that no text can have (NUL, or half of one)');
    switch (target) {
      case 'email': {
        const read = email.safeParse(cell.toLowerCase());
        if (!read.success) return refuse('not an email address');
        row.email = read.data;
        break;
      }
      case 'phone': {
        const number = parsePhoneNumberFromString(cell, country ?? undefined);
        if (!number?.isPossible()) return refuse('not a phone number; write it with its country, as +44 7700 900123');
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
        if (row[target].some((label) => label.length > LONGEST.label))
          return refuse(`a name longer than ${LONGEST.label} characters`);
        if (row[target].length > MOST_LABELS) return refuse(`more than ${MOST_LABELS} of them`);
        break;
      case 'first_name':
      case 'last_name':
        if (cell.length > LONGEST.name) return refuse(`longer than ${LONGEST.name} characters`);
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
