/** Reading the people of a replay from CSV. */
import { parse } from 'csv-parse/browser/esm/sync';
import { newPerson, type ConsentState, type FieldValue, type PersonState } from '../person/state.ts';
import { isZone } from '../time/civil.ts';
import type { PlacedProblem } from '../journey/parse.ts';

const OWN = new Set(['id', 'email', 'phone', 'first_name', 'zone', 'tags', 'lists', 'consent_email', 'consent_sms']);
const TYPES = new Set(['text', 'number', 'date', 'instant', 'yesno', 'choice', 'choices', 'score']);
/** Of the column types, those that the core computes with today. */
const SUPPORTED = new Set(['text', 'number', 'yesno', 'score', 'choice']);

interface Row {
  record: string[];
  info: { lines: number };
}

/** People in order of the file, or all that is wrong with it. */
export function parsePeople(text: string): { people: PersonState[]; problems: PlacedProblem[] } {
  let rows: Row[];
  try {
    rows = parse(text, { bom: true, info: true, skip_empty_lines: true, relax_column_count: true }) as unknown as Row[];
  } catch (error) {
    const { lines, message } = error as { lines?: number; message: string };
    return {
      people: [],
      problems: [{ line: lines ?? 1, path: 'the file', message: `found text that is not CSV: ${message}` }]
    };
  }
  const problems: PlacedProblem[] = [];
  const header = rows[0]?.record ?? [];
  const columns = header.map((name) => {
    const [field = '', type = 'text'] = name.trim().split(':');
    if (!TYPES.has(type))
      problems.push({
        line: 1,
        path: name,
        message: `found the type "${type}", expected one of ${[...TYPES].join(', ')}`
      });
    else if (!SUPPORTED.has(type))
      problems.push({ line: 1, path: name, message: `found the type "${type}", which is not supported yet` });
    return { field, type };
  });
  if (!columns.some((c) => c.field === 'id'))
    problems.push({ line: 1, path: 'the header', message: 'found no column "id", expected one' });
  if (problems.length) return { people: [], problems };

  const people: PersonState[] = [];
  const ids = new Set<string>();
  for (const { record, info } of rows.slice(1)) {
    const line = info.lines;
    if (record.length !== columns.length) {
      problems.push({ line, path: 'the row', message: `found ${record.length} cells, expected ${columns.length}` });
      continue;
    }
    const person = newPerson('');
    columns.forEach(({ field, type }, i) => {
      const cell = (record[i] ?? '').trim();
      const bad = (expected: string): void => {
        problems.push({ line, path: field, message: `found "${cell}", expected ${expected}` });
      };
      if (field === 'id') {
        if (cell === '') bad('an id');
        else if (ids.has(cell)) bad('an id that no row before has');
        ids.add(cell);
        person.id = cell;
      } else if (cell === '') return;
      else if (field === 'tags' || field === 'lists') for (const name of labels(cell)) person[field].add(name);
      else if (field === 'consent_email' || field === 'consent_sms') {
        if (!['given', 'pending', 'withdrawn'].includes(cell)) bad('given, pending, withdrawn or nothing');
        else person.consent[field === 'consent_email' ? 'email' : 'sms'] = cell as ConsentState;
      } else if (field === 'zone' && !isZone(cell)) bad('a time zone name such as "Europe/Dublin"');
      else if (type === 'score' && !OWN.has(field)) {
        if (Number.isFinite(Number(cell))) person.scores.set(field, Number(cell));
        else bad('a number');
      } else {
        const value = typed(cell, type);
        if (value === null) bad(type === 'number' ? 'a number' : 'yes, no, true, false, 1 or 0');
        else person.fields.set(field, value);
      }
    });
    people.push(person);
  }
  return { people, problems };
}

function labels(cell: string): string[] {
  return cell
    .split(';')
    .map((name) => name.trim())
    .filter(Boolean);
}

function typed(cell: string, type: string): FieldValue | null {
  if (type === 'number') return Number.isFinite(Number(cell)) ? Number(cell) : null;
  if (type === 'yesno') {
    if (/^(yes|true|1)$/i.test(cell)) return true;
    return /^(no|false|0)$/i.test(cell) ? false : null;
  }
  return cell;
}
