/**
 * Reading one cell as a value of a type, as spreadsheets and other systems write it. What a cell means may hang on where the
 * file comes from (which of two numbers is the day, which mark parts the decimals): that is told, never guessed here.
 */
import { fromWall, parseDate } from '../../core/time/civil.ts';
import { instantText, parseInstant } from '../../core/time/instant.ts';
import { HOUR, MINUTE, SECOND, DAY } from '../../core/time/duration.ts';
import type { FieldType, FieldValue } from '../../core/person/values.ts';

/** In which order the parts of a date stand, where the year comes last. */
export const DATE_ORDERS = ['day first', 'month first'] as const;
export type DateOrder = (typeof DATE_ORDERS)[number];
export const DECIMALS = ['.', ','] as const;
export type Decimal = (typeof DECIMALS)[number];

export interface ValueReading {
  type?: FieldType | undefined;
  dates?: DateOrder | undefined;
  decimal?: Decimal | undefined;
  /** What a choice may be. */
  options?: readonly string[] | undefined;
}

const YES = new Set([
  'yes',
  'y',
  'true',
  '1',
  'x',
  'on',
  'ja',
  'j',
  'oui',
  'si',
  'sí',
  's',
  'sim',
  'tak',
  'igen',
  'da',
  'wahr',
  'vrai'
]);
const NO = new Set([
  'no',
  'n',
  'false',
  '0',
  'off',
  'nein',
  'non',
  'nee',
  'nej',
  'não',
  'nao',
  'nie',
  'nem',
  'ne',
  'falsch',
  'faux'
]);

export function readYesNo(cell: string): boolean | null {
  const word = cell.toLowerCase();
  if (YES.has(word)) return true;
  return NO.has(word) ? false : null;
}

/** Longer than this no number is written. */
const LONGEST_NUMBER = 60;
/** As most cells have it: read at once, of whole files. */
const PLAIN_NUMBER = /^\d{1,15}$/;
const NUMBER: Record<Decimal, RegExp> = {
  '.': /^[+-]?(?:\d+|\d{1,3}(?:[,'’\s]\d{3})+)(?:\.\d+)?$/,
  ',': /^[+-]?(?:\d+|\d{1,3}(?:[.'’\s]\d{3})+)(?:,\d+)?$/
};

/** A number with this mark before its decimals; a sign of currency beside it is left out. `null`: it is none. */
export function readNumber(cell: string, decimal: Decimal): number | null {
  if (cell.length > LONGEST_NUMBER) return null;
  if (PLAIN_NUMBER.test(cell)) return Number(cell);
  const bare = cell.replace(/^\p{Sc}\s*|\s*\p{Sc}$/gu, '');
  if (!NUMBER[decimal].test(bare)) return null;
  const thousands = decimal === '.' ? /[,'’\s]/g : /[.'’\s]/g;
  const value = Number(bare.replace(thousands, '').replace(',', '.'));
  return Number.isFinite(value) ? value : null;
}

const MONTHS = ['jan', 'feb', 'mar', 'apr', 'may', 'jun', 'jul', 'aug', 'sep', 'oct', 'nov', 'dec'];
const CLOCK = String.raw`(?:[T ]+(\d{1,2}):(\d{2})(?::(\d{2})(?:[.,]\d+)?)?\s*([ap]\.?m\.?)?)?`;
const YEAR_FIRST = new RegExp(String.raw`^(\d{4})[-/.](\d{1,2})[-/.](\d{1,2})${CLOCK}$`, 'i');
const YEAR_LAST = new RegExp(String.raw`^(\d{1,2})[-/. ]\s?(\d{1,2})[-/. ]\s?(\d{4}|\d{2})${CLOCK}$`, 'i');
const NAMED = new RegExp(String.raw`^(\d{1,2})[-. ]+([a-z]{3,9})[-., ]+(\d{4}|\d{2})${CLOCK}$`, 'i');
const LONGEST_DATE = 60;
/** Days since 1899-12-30, as spreadsheets keep dates: 1927 to 2099. */
const SERIAL = /^\d{5}(?:\.\d+)?$/;
const [SERIAL_FROM, SERIAL_TO] = [10_000, 73_051];
const SERIAL_ZERO = Date.UTC(1899, 11, 30);

/** Two figures of a year, as spreadsheets take them: 00 to 29 are of this century. */
const fullYear = (text: string): number =>
  text.length > 2 ? Number(text) : Number(text) + (Number(text) < 30 ? 2000 : 1900);

/** The wall-clock time that a cell says, as if it were UTC ms; `null` where it says none, or no real one. */
export function readWall(cell: string, order: DateOrder | undefined): number | null {
  if (cell.length > LONGEST_DATE) return null;
  if (SERIAL.test(cell)) {
    const days = Number(cell);
    return days >= SERIAL_FROM && days < SERIAL_TO ? SERIAL_ZERO + Math.round(days * 86_400) * SECOND : null;
  }
  let found = YEAR_FIRST.exec(cell);
  if (found) return wallOf(Number(found[1]), Number(found[2]), Number(found[3]), found.slice(4));
  found = NAMED.exec(cell);
  if (found) {
    const month = MONTHS.indexOf((found[2] ?? '').slice(0, 3).toLowerCase()) + 1;
    return wallOf(fullYear(found[3] ?? ''), month, Number(found[1]), found.slice(4));
  }
  found = order ? YEAR_LAST.exec(cell) : null;
  if (!found) return null;
  const [a, b] = [Number(found[1]), Number(found[2])];
  return wallOf(fullYear(found[3] ?? ''), order === 'day first' ? b : a, order === 'day first' ? a : b, found.slice(4));
}

const pad = (n: number, width: number): string => String(n).padStart(width, '0');

function wallOf(year: number, month: number, day: number, [h, m, s, half]: (string | undefined)[]): number | null {
  const date = parseDate(`${pad(year, 4)}-${pad(month, 2)}-${pad(day, 2)}`);
  if (date === null) return null;
  let hour = Number(h ?? 0);
  if (half) {
    if (hour < 1 || hour > 12) return null;
    hour = (hour % 12) + (half[0]?.toLowerCase() === 'p' ? 12 : 0);
  }
  if (hour > 23 || Number(m ?? 0) > 59 || Number(s ?? 0) > 59) return null;
  return date + hour * HOUR + Number(m ?? 0) * MINUTE + Number(s ?? 0) * SECOND;
}

const isYearLast = (cell: string): boolean => YEAR_LAST.test(cell);

/** Under which orders a cell is a real date: both, one, or none. Dates that say their order are real under both. */
export function dateOrdersOf(cell: string): { orders: DateOrder[]; hangsOnOrder: boolean } {
  return { orders: DATE_ORDERS.filter((o) => readWall(cell, o) !== null), hangsOnOrder: isYearLast(cell) };
}

/** The parts of a cell that names several. */
export const several = (cell: string): string[] => [
  ...new Set(
    cell
      .split(/[;|]/.test(cell) ? /[;|]/ : /,/)
      .map((part) => part.trim())
      .filter(Boolean)
  )
];

/** Where the order was not said yet, whatever could be a date is one: it is asked before anything comes of it. */
const wallEitherWay = (cell: string, order: DateOrder | undefined): number | null =>
  order ? readWall(cell, order) : (readWall(cell, 'day first') ?? readWall(cell, 'month first'));

/** The value that a cell is; `null` where it fits not. `zone`: where times of day without a zone are meant. */
export function readValue(
  cell: string,
  { type = 'text', dates, decimal, options }: ValueReading,
  zone: string
): FieldValue | null {
  switch (type) {
    case 'text':
      return cell;
    case 'number':
      return decimal ? readNumber(cell, decimal) : (readNumber(cell, '.') ?? readNumber(cell, ','));
    case 'yesno':
      return readYesNo(cell);
    case 'date': {
      // As most files have it: what it is made of below.
      if (parseDate(cell) !== null) return cell;
      const wall = wallEitherWay(cell, dates);
      const instant = wall === null ? parseInstant(cell) : null;
      if (instant !== null) return cell.slice(0, 10);
      return wall === null ? null : new Date(Math.floor(wall / DAY) * DAY).toISOString().slice(0, 10);
    }
    case 'instant': {
      const instant = parseInstant(cell);
      if (instant !== null) return instantText(instant);
      const wall = wallEitherWay(cell, dates);
      return wall === null ? null : instantText(fromWall(zone, wall));
    }
    case 'choice':
      return oneOf(cell, options);
    case 'choices': {
      const values = several(cell).map((part) => oneOf(part, options));
      return values.some((v) => v === null) ? null : values.filter((v): v is string => v !== null);
    }
  }
}

function oneOf(cell: string, options: readonly string[] | undefined): string | null {
  if (!options?.length) return cell;
  return options.find((o) => o === cell) ?? options.find((o) => o.toLowerCase() === cell.toLowerCase()) ?? null;
}
