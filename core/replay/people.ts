/** Reading the people of a replay from CSV. Rules: docs/journey-language.md, "Replay". */
import { parse } from 'csv-parse/browser/esm/sync';
import { FIELD_TYPES, type FieldType, type ConsentState, type FieldValue } from '../person/values.ts';
import { found } from '../journey/problems.ts';
import type { PlacedProblem } from '../journey/parse.ts';
import { newPerson, type PersonState } from '../person/state.ts';
import { isZone, parseDate } from '../time/civil.ts';
import { instantText, parseInstant } from '../time/instant.ts';
import type { PeopleSource } from './replay.ts';

const LABELS = new Set(['tags', 'lists']);
const CONSENTS = new Set(['consent_email', 'consent_sms']);
const TEXT = new Set(['email', 'phone', 'first_name', 'last_name', 'zone']);
type ColumnType = FieldType | 'score';

interface Column {
  name: string;
  type: ColumnType;
}

export interface ReadPeople extends PeopleSource {
  /** Ids in order of the file: a person's place is the place of their id. */
  ids: string[];
  has: (id: string) => boolean;
  /** Types of the fields that the header declares. */
  types: Map<string, FieldType>;
  problems: PlacedProblem[];
}

/**
 * Reads a file of people. All of it is checked now; each person is made when
 * they are asked for, so that a million of them need not be there at once.
 * `declared` are the types that the settings give to fields.
 */
export function readPeople(text: string, declared: ReadonlyMap<string, FieldType> = new Map()): ReadPeople {
  const problems: PlacedProblem[] = [];
  const ids: string[] = [];
  let columns: Column[] | null = null;
  const seen = new Set<string>();
  const ok = eachRecord(text, problems, (record, line) => {
    if (!columns) {
      columns = readHeader(record, line, declared, problems);
      return;
    }
    if (!columns.length) return;
    const id = readRow(columns, record, line, problems, null);
    if (id === null) return;
    if (id !== '' && seen.has(id))
      problems.push({ line, path: 'id', message: `found ${found(id)}, expected an id that no row before has` });
    seen.add(id);
    ids.push(id);
  });
  if (ok && !columns)
    problems.push({ line: 1, path: 'the file', message: 'found nothing, expected a header with a column "id"' });
  const header = (columns ?? []) as Column[];
  return {
    ids,
    has: (id) => seen.has(id),
    problems,
    types: new Map(
      header.flatMap((c): [string, FieldType][] =>
        c.type === 'score' || c.name === 'id' || LABELS.has(c.name) || CONSENTS.has(c.name) ? [] : [[c.name, c.type]]
      )
    ),
    each(take) {
      let place = -1;
      eachRecord(text, [], (record, line) => {
        if (place >= 0) {
          const person = newPerson(ids[place] ?? '');
          readRow(header, record, line, [], person);
          take(person, place);
        }
        place++;
      });
    }
  };
}

/** People all at once, in order of the file, or all that is wrong with it. */
export function parsePeople(
  text: string,
  declared?: ReadonlyMap<string, FieldType>
): { people: PersonState[]; types: Map<string, FieldType>; problems: PlacedProblem[] } {
  const { problems, types, each } = readPeople(text, declared);
  const people: PersonState[] = [];
  if (!problems.length) each((person) => void people.push(person));
  return { people, types, problems };
}

/** A number in decimal, as a spreadsheet writes it. */
const NUMBER = /^[+-]?(\d+(\.\d*)?|\.\d+)(e[+-]?\d{1,2})?$/i;

/** A piece of text that the parser is given at once, in characters: it turns its input into an array of numbers. */
const PIECE = 1 << 16;

/** Gives every record of a CSV with its line; false where the text is no CSV. */
function eachRecord(text: string, problems: PlacedProblem[], take: (record: string[], line: number) => void): boolean {
  let lines = 0;
  for (let from = 0; from < text.length;) {
    const end = rowEnd(text, from, Math.min(text.length, from + PIECE));
    const piece = text.slice(from, end);
    const before = lines;
    try {
      parse(piece, {
        bom: from === 0,
        skip_empty_lines: true,
        relax_column_count: true,
        // Nothing is kept: records are taken as they come.
        on_record: (record: string[], info: { lines: number }) => {
          take(record, before + info.lines);
          return null;
        }
      });
    } catch (error) {
      const { lines: at, message } = error as { lines?: number; message: string };
      problems.push({
        line: before + (at ?? 1),
        path: 'the file',
        message: `found text that is not CSV (${message}), expected rows of cells parted by commas`
      });
      return false;
    }
    for (let i = piece.indexOf('\n'); i >= 0; i = piece.indexOf('\n', i + 1)) lines++;
    from = end;
  }
  return true;
}

/** The first end of a row at or after `least`: a line end with no quotation open, counted from the row that starts at `from`. */
function rowEnd(text: string, from: number, least: number): number {
  let open = false;
  for (let i = from; i < text.length; i++) {
    const code = text.charCodeAt(i);
    if (code === 34) open = !open;
    else if (code === 10 && !open && i + 1 >= least) return i + 1;
  }
  return text.length;
}

function readHeader(
  record: string[],
  line: number,
  declared: ReadonlyMap<string, FieldType>,
  problems: PlacedProblem[]
): Column[] {
  const before = problems.length;
  const say = (path: string, message: string): void => void problems.push({ line, path, message });
  const names = new Set<string>();
  const columns = record.map((cell): Column => {
    const [name = '', written] = cell.trim().split(':');
    const type = written ?? declared.get(name) ?? 'text';
    if (name === '') say('the header', `found ${found(cell)}, expected the name of a field`);
    else if (names.has(name)) say(name, `found a second column ${found(name)}, expected each once`);
    names.add(name);
    if (![...FIELD_TYPES, 'score'].includes(type))
      say(cell.trim(), `found the type "${type}", expected one of ${[...FIELD_TYPES, 'score'].join(', ')}`);
    else if (written !== undefined && declared.has(name) && declared.get(name) !== written)
      say(cell.trim(), `found the type "${written}", expected "${declared.get(name)}" as the settings say`);
    else if (
      written !== undefined &&
      written !== 'text' &&
      (TEXT.has(name) || LABELS.has(name) || CONSENTS.has(name) || name === 'id')
    )
      say(cell.trim(), `found the type "${written}", expected none: this column has a meaning of its own`);
    return { name, type: type as ColumnType };
  });
  if (!names.has('id')) say('the header', 'found no column "id", expected one');
  return problems.length > before ? [] : columns;
}

/** Checks a row and, where there is a person to fill, fills them; the row's id, `null` where it has the wrong number of cells. */
function readRow(
  columns: readonly Column[],
  record: readonly string[],
  line: number,
  problems: PlacedProblem[],
  person: PersonState | null
): string | null {
  if (record.length !== columns.length) {
    problems.push({ line, path: 'the row', message: `found ${record.length} cells, expected ${columns.length}` });
    return null;
  }
  let id = '';
  for (let i = 0; i < columns.length; i++) {
    const column = columns[i];
    const cell = (record[i] ?? '').trim();
    if (!column) continue;
    if (column.name === 'id') id = cell;
    const expected = cell === '' && column.name !== 'id' ? null : readCell(column, cell, person);
    if (expected !== null)
      problems.push({ line, path: column.name, message: `found ${found(cell)}, expected ${expected}` });
  }
  return id;
}

/** Takes a cell into a person, where there is one; what was expected instead, where it is bad. */
function readCell({ name, type }: Column, cell: string, person: PersonState | null): string | null {
  if (name === 'id') return cell === '' ? 'an id' : null;
  if (name === 'tags' || name === 'lists') {
    const held = name === 'tags' ? person?.tags : person?.lists;
    if (held) for (const label of labels(cell)) held.add(label);
    return null;
  }
  if (name === 'consent_email' || name === 'consent_sms') {
    if (cell !== 'given' && cell !== 'pending' && cell !== 'withdrawn') return 'given, pending, withdrawn or nothing';
    if (person) person.consent[name === 'consent_email' ? 'email' : 'sms'] = cell as ConsentState;
    return null;
  }
  if (name === 'zone' && !isZone(cell)) return 'a time zone name such as "Europe/Dublin"';
  if (type === 'score') {
    if (!NUMBER.test(cell)) return 'a number';
    person?.scores.set(name, Number(cell));
    return null;
  }
  const value = typed(cell, type);
  if (value === null) return EXPECTED[type];
  person?.fields.set(name, value);
  return null;
}

function labels(cell: string): string[] {
  return cell
    .split(';')
    .map((name) => name.trim())
    .filter(Boolean);
}

const EXPECTED: Record<FieldType, string> = {
  text: 'a text',
  choice: 'a text',
  choices: 'texts parted by ";"',
  number: 'a number',
  yesno: 'yes, no, true, false, 1 or 0',
  date: 'a date such as "2027-03-01"',
  instant: 'an instant with a zone, such as "2027-03-01T09:00:00Z"'
};

function typed(cell: string, type: FieldType): FieldValue | null {
  switch (type) {
    case 'number':
      return NUMBER.test(cell) ? Number(cell) : null;
    case 'yesno':
      if (/^(yes|true|1)$/i.test(cell)) return true;
      return /^(no|false|0)$/i.test(cell) ? false : null;
    case 'date':
      return parseDate(cell) === null ? null : cell;
    case 'instant': {
      const at = parseInstant(cell);
      return at === null ? null : instantText(at);
    }
    case 'choices':
      return labels(cell);
    default:
      return cell;
  }
}
