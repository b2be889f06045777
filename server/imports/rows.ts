/** Rows of a CSV of people: which column is what, which rows are good, which are refused and why. */
import { bare } from '../../core/bare.ts';
import { isFit, LONGEST, repaired } from '../../core/text/text.ts';
import type { CountryCode } from 'libphonenumber-js/min';
import { isZone } from '../../core/time/civil.ts';
import type { ConsentState, FieldValue } from '../../core/person/values.ts';
import { readAddress } from '../addresses/address.ts';
import type { Table } from './csv.ts';
import type { ColumnPlan, ImportPlan } from './plan.ts';
import { readValue, readYesNo } from '../people/values.ts';

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
  fields: Record<string, FieldValue>;
}

/** Tags, or lists, that one cell may name. */
const MOST_LABELS = 100;

/** How rows are read. */
export interface RowReading {
  columns: readonly ColumnPlan[];
  /** The country of phone numbers written without one; `null`: they have to say it. */
  country: CountryCode | null;
  /** Where times of day without a zone are meant. */
  zone: string;
  misfits: ImportPlan['misfits'];
}

/** Values that were left out because they do not fit their field, by column. */
export type LeftOut = Map<string, { count: number; example: string }>;

/**
 * Reads rows of a file, some at a time, good or refused. One address occurs once; the first row with it is kept. What
 * does not fit its field and is left out is counted in `leftOut`.
 */
export async function* checkRows(
  { header, rows }: Table,
  reading: RowReading,
  leftOut: LeftOut = new Map()
): AsyncGenerator<(GoodRow | Refused)[]> {
  const seen = new Map<string, number>();
  for await (const part of rows)
    yield part.map(({ line, cells }) => {
      const row = readRow(line, cells, header, reading, leftOut);
      if (isRefused(row)) return row;
      const { email, phone } = row;
      const twin = email !== null && seen.has(email) ? email : phone !== null && seen.has(phone) ? phone : null;
      if (twin !== null)
        return { line, column: null, found: twin, reason: `the same address stands on line ${seen.get(twin)}` };
      if (email !== null) seen.set(email, line);
      if (phone !== null) seen.set(phone, line);
      return row;
    });
}

export const isRefused = (row: GoodRow | Refused): row is Refused => 'reason' in row;

const LABELS = /[;|]/;
const labelsOf = (cell: string): string[] =>
  LABELS.test(cell)
    ? [
        ...new Set(
          cell
            .split(LABELS)
            .map((t) => t.trim())
            .filter(Boolean)
        )
      ]
    : [cell];

const refuse = (line: number, column: string, cell: string, reason: string): Refused => ({
  line,
  column,
  // What cannot be kept as text is what it was refused for.
  found: repaired(cell, 80),
  reason
});

function readRow(
  line: number,
  cells: string[],
  header: string[],
  { columns, country, zone, misfits }: RowReading,
  leftOut: LeftOut
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
    fields: bare()
  };
  if (cells.length > header.length) {
    return { line, column: null, found: `${cells.length} cells`, reason: `the header names ${header.length} columns` };
  }
  for (let i = 0; i < columns.length; i++) {
    const plan = columns[i];
    if (!plan || plan.target === 'ignore') continue;
    const { target } = plan;
    // A mark that keeps spreadsheets from taking a cell for a formula is not part of it.
    const whole = cells[i] ?? '';
    const cell = whole.startsWith("'") ? whole.replace(/^'(?=[=+\-@])/, '') : whole;
    const column = header[i] ?? '';
    if (cell === '') continue;
    if (cell.length > LONGEST.words) return refuse(line, column, cell, 'longer than 2,000 characters');
    if (!isFit(cell))
      return refuse(line, column, cell, 'holds a character that no text can have (NUL, or half of one)');
    switch (target) {
      case 'email':
      case 'phone': {
        const read = readAddress(target, cell, country);
        if (!read.ok) return refuse(line, column, cell, read.reason);
        row[target] = read.value;
        break;
      }
      case 'zone':
        if (!isZone(cell)) return refuse(line, column, cell, 'not a time zone; write it as Europe/Dublin');
        row.zone = cell;
        break;
      case 'consent_email':
      case 'consent_sms': {
        const state = consentOf(cell);
        if (!state) return refuse(line, column, cell, 'not a consent; write given, pending or withdrawn');
        row[target] = state;
        break;
      }
      case 'tags':
      case 'lists':
        row[target] = labelsOf(cell);
        if (row[target].some((label) => label.length > LONGEST.label))
          return refuse(line, column, cell, `a name longer than ${LONGEST.label} characters`);
        if (row[target].length > MOST_LABELS) return refuse(line, column, cell, `more than ${MOST_LABELS} of them`);
        break;
      case 'first_name':
      case 'last_name':
        if (cell.length > LONGEST.name) return refuse(line, column, cell, `longer than ${LONGEST.name} characters`);
        row[target] = cell;
        break;
      default:
        if (target.startsWith('field:')) {
          const value = readValue(cell, plan, zone);
          if (value === null && misfits === 'refuse') return refuse(line, column, cell, misfit(plan));
          if (value === null) {
            const left = leftOut.get(column);
            leftOut.set(column, { count: (left?.count ?? 0) + 1, example: left?.example ?? repaired(cell, 80) });
          } else if (!Array.isArray(value) || value.length) row.fields[target.slice('field:'.length)] = value;
        }
    }
  }
  if (!row.email && !row.phone)
    return { line, column: null, found: '', reason: 'no address at all: neither email nor phone' };
  return row;
}

const EXPECTED = {
  text: 'text',
  number: 'a number',
  date: 'a date',
  instant: 'a date with a time',
  yesno: 'yes or no',
  choice: 'one of the choices of this field',
  choices: 'some of the choices of this field'
} as const;

function misfit({ type = 'text', dates, decimal }: ColumnPlan): string {
  const more =
    type === 'number'
      ? ` with ${decimal === ',' ? 'a comma' : 'a point'} before decimals`
      : dates && (type === 'date' || type === 'instant')
        ? `, ${dates}`
        : '';
  return `not ${EXPECTED[type]}${more}`;
}

function consentOf(cell: string): ConsentState | null {
  const word = cell.toLowerCase();
  if (word === 'given' || word === 'pending' || word === 'withdrawn') return word;
  const said = readYesNo(cell);
  return said === null ? null : said ? 'given' : 'withdrawn';
}
