/** What colleagues do with one person: facts and consent changed, notes; and the history of each. */
import { isOfType } from '../../core/condition/comparison.ts';
import { PERSON_COLUMNS } from '../../core/person/columns.ts';
import type { Channel, ConsentState, FieldType, FieldValue } from '../../core/person/values.ts';
import { isZone } from '../../core/time/civil.ts';
import { now } from '../workspace/clock.ts';
import { changed } from '../db/notify.ts';
import { transaction, ts, type Db, type Pool } from '../db/pool.ts';
import { readAddress } from '../addresses/address.ts';
import { readValue } from './values.ts';
import type { Change } from '../selection/selection.ts';
import { readSettings } from '../workspace/settings.ts';
import { askChange } from './inputs.ts';

export type Changed = { ok: true } | { ok: false; problem: string };

/** A field's declared type and options. */
async function fieldOf(db: Db, name: string): Promise<{ type: FieldType; options: string[] }> {
  const field = (await readSettings(db))?.fields?.find((f) => f.name === name);
  return { type: field?.type ?? 'text', options: field?.options ?? [] };
}

/** Sets a field of a person to what was typed; empty clears it. */
export async function setField(pool: Pool, person: number, name: string, typed: string, by: string): Promise<Changed> {
  const text = typed.trim();
  const own = (PERSON_COLUMNS as readonly string[]).includes(name);
  let value: FieldValue | null = text === '' ? null : text;
  if (name === 'email' || name === 'phone') return setAddress(pool, person, name, text, by);
  if (name === 'zone' && text !== '' && !isZone(text))
    return { ok: false, problem: 'That is no time zone; write it as Europe/Dublin.' };
  if (!own && text !== '') {
    const read = await typedValue(pool, name, text);
    if (!read.ok) return read;
    ({ value } = read);
  }
  const done = await askChange(pool, [person], { fields: { [name]: value } }, by);
  return done ? { ok: true } : { ok: false, problem: 'There is no such person.' };
}

/** What was typed as a value of a field, by its declared type. */
export async function typedValue(
  db: Db,
  name: string,
  typed: string
): Promise<{ ok: true; value: FieldValue } | { ok: false; problem: string }> {
  const { type, options } = await fieldOf(db, name);
  const { rows } = await db.query<{ zone: string }>('select zone from workspace');
  const reading = { type, options, dates: 'day first', decimal: '.' } as const;
  const value = readValue(typed.trim(), reading, rows[0]?.zone ?? 'UTC');
  if (value !== null && isOfType(value, type)) return { ok: true, value };
  return { ok: false, problem: `“${name}” takes ${EXPECTED[type]}${options.length ? `: ${options.join(', ')}` : ''}.` };
}

/** A change of many with what was typed as a value of its field; own columns are changed one by one. */
export async function typedChange(
  db: Db,
  change: Change
): Promise<{ ok: true; change: Change } | { ok: false; problem: string }> {
  if (change.act !== 'set field' || typeof change.value !== 'string') return { ok: true, change };
  if ((PERSON_COLUMNS as readonly string[]).includes(change.field))
    return { ok: false, problem: 'Addresses, names and zones are changed one by one, or by an import.' };
  const read = await typedValue(db, change.field, change.value);
  return read.ok ? { ok: true, change: { ...change, value: read.value } } : read;
}

const EXPECTED: Record<FieldType, string> = {
  text: 'text',
  number: 'a number, as 12.5',
  date: 'a date, as 2027-03-01',
  instant: 'a date and time, as 2027-03-01 14:30',
  yesno: 'yes or no',
  choice: 'one of its choices',
  choices: 'some of its choices, with ;'
};

/** Changes an address, which nobody else may have; the former one stands in the history. */
async function setAddress(
  pool: Pool,
  person: number,
  name: 'email' | 'phone',
  text: string,
  by: string
): Promise<Changed> {
  const { rows: workspace } = await pool.query<{ country: string | null }>('select country from workspace');
  const read =
    text === '' ? { ok: true as const, value: null } : readAddress(name, text, workspace[0]?.country ?? null);
  if (!read.ok) return { ok: false, problem: `That is ${read.reason}.` };
  return transaction(pool, async (db): Promise<Changed> => {
    const { rows } = await db.query<{ email: string | null; phone: string | null }>(
      'select email, phone from people where id = $1 for no key update',
      [person]
    );
    const [own] = rows;
    if (!own) return { ok: false, problem: 'There is no such person.' };
    const next = { ...own, [name]: read.value };
    if (!next.email && !next.phone) return { ok: false, problem: 'A person needs an email address or a phone number.' };
    const other = await db.query<{ id: number | null }>(
      `select ${name === 'email' ? 'person_of_email' : 'person_of_number'}($1) as id`,
      [read.value]
    );
    if (other.rows[0]?.id && other.rows[0].id !== person)
      return { ok: false, problem: `Somebody else has this ${name === 'email' ? 'address' : 'number'} already.` };
    const at = ts(await now(db));
    await db.query(`update people set ${name} = $2, updated_at = $3 where id = $1`, [person, read.value, at]);
    // One that was theirs beside it changes places with it.
    const swapped = await db.query('delete from other_addresses where person_id = $1 and address = $2', [
      person,
      read.value
    ]);
    const before = name === 'email' ? own.email : own.phone;
    if (swapped.rowCount && before)
      await db.query('insert into other_addresses (address, person_id, channel, since) values ($1, $2, $3, $4)', [
        before.toLowerCase(),
        person,
        name === 'email' ? 'email' : 'sms',
        at
      ]);
    await db.query(
      `insert into happenings (person_id, name, at, source, data, record, handled_at)
       values ($1, 'field_changed', $2, $3, $4, 0, $2)`,
      [person, at, by, JSON.stringify({ field: name, from: before, to: read.value, by })]
    );
    await changed(db, { people: [person] });
    return { ok: true };
  });
}

/** Changes consent by hand, with where it was given. A withdrawn one comes back only so: somebody says by what. */
export async function setConsent(
  pool: Pool,
  person: number,
  { channel, state, source, wording }: { channel: Channel; state: ConsentState; source: string; wording: string },
  by: string
): Promise<Changed> {
  const done = await askChange(
    pool,
    [person],
    {
      consent: { [channel]: state },
      by: 'colleague',
      proof: { source: `${source} (${by})`, wording: wording || null }
    },
    by
  );
  return done ? { ok: true } : { ok: false, problem: 'There is no such person.' };
}

/** A further address is theirs no more: whoever writes from it, or comes by it in a file, is somebody new. */
export async function removeAddress(db: Db, person: number, address: string): Promise<boolean> {
  const { rowCount } = await db.query('delete from other_addresses where person_id = $1 and address = $2', [
    person,
    address
  ]);
  await changed(db, { people: [person] });
  return rowCount === 1;
}

export async function addNote(db: Db, person: number, words: string, by: string): Promise<boolean> {
  const { rowCount } = await db.query(
    `insert into person_notes (person_id, at, by, words) select id, $2, $3, $4 from people where id = $1`,
    [person, ts(await now(db)), by, words]
  );
  await changed(db, { people: [person] });
  return rowCount === 1;
}

export async function removeNote(db: Db, person: number, note: number): Promise<boolean> {
  const { rowCount } = await db.query('delete from person_notes where person_id = $1 and id = $2', [person, note]);
  await changed(db, { people: [person] });
  return rowCount === 1;
}

export interface FactChange {
  at: number;
  field: string;
  to: FieldValue | null;
  /** Who or what: a name, `import 3`, a journey. */
  by: string;
}

/** Every change of a person's fields, latest first, and what an import brought them with. */
export async function factHistory(db: Db, person: number): Promise<FactChange[]> {
  const { rows } = await db.query<{
    at: number;
    field: string;
    to: FieldValue | null;
    by: string | null;
    source: string;
    journey: string | null;
    record: number;
  }>(
    `select h.at, h.data ->> 'field' as field, h.data -> 'to' as to, h.data ->> 'by' as by, h.source, j.name as journey, h.record
     from happenings h
     left join walks w on w.person_id = h.person_id and w.id = (h.data ->> 'cause')::integer
     left join journeys j on j.id = w.journey_id
     where h.person_id = $1 and h.name = 'field_changed' and h.handled_at is not null
     order by h.at desc, h.id desc limit 500`,
    [person]
  );
  const ids = [...new Set(rows.flatMap((r) => /^import (\d+)$/.exec(r.by ?? '')?.[1] ?? []))].map(Number);
  const { rows: files } = await db.query<{ id: number; name: string }>(
    'select id, name from imports where id = any($1::bigint[])',
    [ids]
  );
  const named = new Map(files.map((f) => [`import ${f.id}`, f.name]));
  return rows.map(({ at, field, to, by, source, journey }) => ({
    at,
    field,
    to,
    by: journey ?? named.get(by ?? '') ?? by ?? (source === 'import' ? 'an import' : source)
  }));
}

export interface ConsentRecord {
  channel: Channel;
  state: string;
  at: number;
  source: string;
  wording: string | null;
  address: string | null;
}

/** Every consent a person gave and took back, latest first. */
export async function consentHistory(db: Db, person: number): Promise<ConsentRecord[]> {
  const { rows } = await db.query<ConsentRecord>(
    `select channel, state, at, source, wording, address from consent_records where person_id = $1 order by id desc limit 200`,
    [person]
  );
  return rows;
}
