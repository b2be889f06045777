/** What the columns of a file most likely are: by their names in several languages, and by what is in them. */
import { isPossiblePhoneNumber, type CountryCode } from 'libphonenumber-js/min';
import { presentName, type Renamed } from '../../core/journey/names.ts';
import { parseInstant } from '../../core/time/instant.ts';
import type { FieldType } from '../../core/person/values.ts';
import { MOST_VALUES } from '../../core/condition/comparison.ts';
import { LONGEST } from '../../core/text/text.ts';
import type { Row } from './csv.ts';
import type { ColumnPlan, Target } from './plan.ts';
import { looksLikeEmail } from './reading.ts';
import {
  DECIMALS,
  dateOrdersOf,
  readNumber,
  readYesNo,
  several,
  type DateOrder,
  type Decimal
} from '../people/values.ts';

/** Names that columns have elsewhere, as letters alone. */
const SYNONYMS = {
  email:
    'email mail emailaddress emailadresse mailadresse adressemail adresseemail courriel correo correoelectronico emailadres epost sahkoposti',
  phone:
    'phone mobile telephone phonenumber mobilephone mobilenumber cell cellphone telefon telefonnummer handy handynummer mobil mobiltelefon mobilnummer telefono movil celular telefoonnummer telefoon portable numerodetelephone cellulare puhelin',
  first_name: 'firstname givenname forename vorname prenom nombre nome voornaam fornavn fornamn imie etunimi',
  last_name:
    'lastname surname familyname nachname familienname nom nomdefamille apellido apellidos cognome achternaam efternavn efternamn etternavn nazwisko sukunimi',
  zone: 'zone timezone zeitzone fuseauhoraire zonahoraria tijdzone',
  tags: 'tags tag etiketten etiquettes etiquetas',
  lists: 'lists list liste listen listes lista listas',
  consent_email: 'consentemail emailconsent einwilligungemail',
  consent_sms: 'consentsms consenttext smsconsent textconsent einwilligungsms'
} satisfies Partial<Record<Target, string>>;
const BY_NAME = new Map(
  Object.entries(SYNONYMS).flatMap(([target, names]) =>
    names.split(' ').map((name): [string, Target] => [name, target as Target])
  )
);

const plainLetters = (text: string): string =>
  text.normalize('NFKD').replace(/\p{M}/gu, '').replace(/ł/gi, 'l').replace(/ß/g, 'ss').toLowerCase();

/** A field's name made of a column's: `Home town` is `home_town`. */
export function fieldName(column: string): string {
  const plain = plainLetters(column)
    .replace(/[^a-z0-9]+/g, '_')
    .replace(/^[_0-9]+|_+$/g, '');
  return plain.slice(0, 40).replace(/_+$/, '') || 'field';
}

/** What was seen in a column's first rows. */
export interface Profile {
  /** Cells that say something. */
  filled: number;
  /** The first different ones. */
  samples: string[];
  /** How many of them are a number, with either mark; a date, under either order; and so on. */
  number: Record<Decimal, number>;
  date: Record<DateOrder, number>;
  /** Dates whose meaning hangs on the order, and numbers whose value hangs on the mark. */
  hangsOnOrder: number;
  hangsOnMark: number;
  instant: number;
  timed: number;
  yesno: number;
  email: number;
  phone: number;
  /** Different values; beyond some they are not counted. */
  distinct: number;
  several: number;
  /** What its cells say, each once, as one choice and as several; empty where they are too many to choose from. */
  options: { choice: string[]; choices: string[] };
}

const SAMPLES = 3;
const DISTINCT = 60;
/** Rows that columns are guessed from. */
export const PROFILED = 2000;

/** Looks at the first rows of a file, column by column. */
export function profileOf(columns: number, rows: readonly Row[], country: CountryCode | null): Profile[] {
  return Array.from({ length: columns }, (_, i) => {
    const seen = new Set<string>();
    const p: Profile = {
      filled: 0,
      samples: [],
      number: { '.': 0, ',': 0 },
      date: { 'day first': 0, 'month first': 0 },
      hangsOnOrder: 0,
      hangsOnMark: 0,
      instant: 0,
      timed: 0,
      yesno: 0,
      email: 0,
      phone: 0,
      distinct: 0,
      several: 0,
      options: { choice: [], choices: [] }
    };
    for (const { cells } of rows) {
      const cell = (cells[i] ?? '').trim();
      if (cell === '') continue;
      p.filled++;
      if (seen.size < DISTINCT) seen.add(cell);
      if (p.samples.length < SAMPLES && !p.samples.includes(cell)) p.samples.push(cell.slice(0, 60));
      // Longer than any number, date or address.
      if (cell.length > 300) continue;
      const numbers = DECIMALS.map((d) => readNumber(cell, d));
      DECIMALS.forEach((d, n) => (p.number[d] += numbers[n] === null ? 0 : 1));
      if (numbers[0] !== null && numbers[1] !== null && numbers[0] !== numbers[1]) p.hangsOnMark++;
      const { orders, hangsOnOrder } = dateOrdersOf(cell);
      for (const order of orders) p.date[order]++;
      if (hangsOnOrder) p.hangsOnOrder++;
      if (orders.length && /\d:\d\d/.test(cell)) p.timed++;
      if (parseInstant(cell) !== null) p.instant++;
      if (readYesNo(cell) !== null) p.yesno++;
      if (looksLikeEmail(cell)) p.email++;
      else if (/^[+\d(][\d\s()/.-]{5,}$/.test(cell) && isPossiblePhoneNumber(cell, country ?? undefined)) p.phone++;
      if (/[;|]/.test(cell)) p.several++;
    }
    p.distinct = seen.size;
    if (seen.size < DISTINCT)
      p.options = { choice: asOptions([...seen]), choices: asOptions([...seen].flatMap(several)) };
    return p;
  });
}

/** Different values that may be chosen from; none where they are too many or too long for that. */
function asOptions(values: string[]): string[] {
  const different = values.filter((v, i) => values.findIndex((w) => w.toLowerCase() === v.toLowerCase()) === i);
  return different.length > MOST_VALUES || different.some((v) => v.length > LONGEST.label) ? [] : different;
}

const most = (part: number, of: number): boolean => of > 0 && part >= of * 0.9;

/**
 * What the values of a column are; `dates` and `decimal` are left open where the cells seen fit both and would mean
 * different things: that is asked.
 */
export function typeOf(p: Profile): { type: FieldType; dates?: DateOrder; decimal?: Decimal } {
  const serials = most(p.number['.'], p.filled);
  const dated = Math.max(p.date['day first'], p.date['month first']);
  if (most(p.instant, p.filled)) return { type: 'instant', dates: 'day first' };
  if (most(p.yesno, p.filled) && p.distinct > 1 && !(serials && p.distinct > 2)) return { type: 'yesno' };
  // Days as spreadsheets number them look like numbers: only beside written dates are they taken for days.
  if (most(dated, p.filled) && !serials)
    return { type: most(p.timed, p.filled) ? 'instant' : 'date', ...asked('dates', orderOf(p)) };
  const numbers = Math.max(p.number['.'], p.number[',']);
  if (most(numbers, p.filled)) return { type: 'number', ...asked('decimal', markOf(p)) };
  if (p.several > 0) return { type: 'choices' };
  return { type: 'text' };
}

const asked = <K extends string, V>(key: K, value: V | null): Partial<Record<K, V>> =>
  value === null ? {} : ({ [key]: value } as Partial<Record<K, V>>);

function orderOf(p: Profile): DateOrder | null {
  if (!p.hangsOnOrder) return 'day first';
  const { 'day first': day, 'month first': month } = p.date;
  if (day === month) return null;
  // Two conventions in one column fit neither: asked too.
  return Math.max(day, month) < p.filled * 0.98 ? null : day > month ? 'day first' : 'month first';
}

function markOf(p: Profile): Decimal | null {
  const [point, comma] = [p.number['.'], p.number[',']];
  if (point === comma) return p.hangsOnMark ? null : '.';
  return point > comma ? '.' : ',';
}

/** What is known of a workspace's fields: their declared types and options. */
export type Declared = ReadonlyMap<string, { type: FieldType; options?: readonly string[] | undefined }>;

/** A field by its present name, where it was called otherwise before. */
export const presentTarget = (target: Target, names: Renamed): Target =>
  target.startsWith('field:') ? `field:${presentName(names, 'field', target.slice('field:'.length))}` : target;

/** What each column is most likely to be taken as. A column of no known name becomes a field of that name. */
export function guessColumns(
  header: readonly string[],
  profiles: readonly Profile[],
  declared: Declared,
  names: Renamed = {}
): ColumnPlan[] {
  const used = new Set<Target>();
  const plans = header.map((name, i): ColumnPlan => {
    const p = profiles[i];
    let target = BY_NAME.get(plainLetters(name).replace(/[^a-z]/g, ''));
    if (!target && p && most(p.email, p.filled) && !used.has('email')) target = 'email';
    if (!target && p && most(p.phone, p.filled) && p.samples.some((s) => /^[+0(]/.test(s)) && !used.has('phone'))
      target = 'phone';
    target ??= presentTarget(`field:${fieldName(name)}`, names);
    if (name === '' || used.has(target)) return { target: 'ignore' };
    used.add(target);
    return target.startsWith('field:') && p ? { target, ...columnOf(target, p, declared) } : { target };
  });
  return plans;
}

/** How the cells of a column are read as the values of a field: of its declared type, else of the type they look like. */
export function columnOf(target: Target, p: Profile, declared: Declared): Omit<ColumnPlan, 'target'> {
  const known = declared.get(target.slice('field:'.length));
  if (!known) return typeOf(p);
  const { type, options } = known;
  return {
    type,
    ...(options ? { options: [...options] } : {}),
    ...(type === 'date' || type === 'instant' ? asked('dates', orderOf(p)) : {}),
    ...(type === 'number' ? asked('decimal', markOf(p)) : {})
  };
}
