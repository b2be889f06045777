/** The type of a field changed: which values fit the new one and what they become, which are lost. */
import type { FieldType, FieldValue } from '../../core/person/values.ts';
import { SETTINGS_FORMAT } from '../../core/settings/schema.ts';
import { now } from '../workspace/clock.ts';
import { changed } from '../db/notify.ts';
import { longTransaction, ts, type Db, type Pool } from '../db/pool.ts';
import { afterBatches } from '../engine/claim.ts';
import { readValue, type ValueReading } from '../people/values.ts';
import { readSaved } from '../workspace/settings.ts';
import { saveSettings } from '../settings/save.ts';

export interface TypeChange {
  /** People whose value fits, as it is or read as the new type. */
  fits: number;
  /** People whose value does not, and would be lost. */
  lost: number;
  examples: { value: string; becomes: string | null; people: number }[];
}

/** More different values than these are not looked at one by one. */
const MOST_VALUES = 100_000;
const EXAMPLES = 8;

interface Found {
  value: FieldValue;
  people: number;
}

const textOf = (value: FieldValue): string => (Array.isArray(value) ? value.join(';') : String(value));

async function valuesOf(db: Db, name: string): Promise<Found[]> {
  const { rows } = await db.query<Found>(
    `select fields -> $1 as value, count(*) as people from people where fields ? $1 group by 1 order by 2 desc limit ${MOST_VALUES + 1}`,
    [name]
  );
  if (rows.length > MOST_VALUES)
    throw new TooMany(`This field has more than ${MOST_VALUES.toLocaleString('en')} different values: it stays text.`);
  return rows;
}

/** A field with too many different values. */
export class TooMany extends Error {}

/** Text takes everything; what is of the type already stays as it is. */
const converted = (value: FieldValue, reading: ValueReading, zone: string): FieldValue | null =>
  reading.type === 'text'
    ? textOf(value)
    : readValue(textOf(value).trim(), { dates: 'day first', decimal: '.', ...reading }, zone);

/** What would become of the values. @throws {TooMany} */
export async function typeChange(db: Db, name: string, reading: ValueReading): Promise<TypeChange> {
  const { rows } = await db.query<{ zone: string }>('select zone from workspace');
  const change: TypeChange = { fits: 0, lost: 0, examples: [] };
  const lost: TypeChange['examples'] = [];
  for (const { value, people } of await valuesOf(db, name)) {
    const becomes = converted(value, reading, rows[0]?.zone ?? 'UTC');
    if (becomes === null) change.lost += people;
    else change.fits += people;
    const of = becomes === null ? lost : change.examples;
    if (of.length < EXAMPLES)
      of.push({ value: textOf(value), becomes: becomes === null ? null : textOf(becomes), people });
  }
  return { ...change, examples: [...lost, ...change.examples].slice(0, EXAMPLES) };
}

/** Changes the type, and every value to what it becomes. No batch of the engine is under way meanwhile. */
export async function changeType(
  pool: Pool,
  name: string,
  reading: {
    type: FieldType;
    options?: string[] | undefined;
    dates?: ValueReading['dates'];
    decimal?: ValueReading['decimal'];
  },
  by: string
): Promise<{ ok: true; lost: number } | { ok: false; problem: string }> {
  const { settings, revision } = await readSaved(pool);
  const before = settings ?? { format: SETTINGS_FORMAT };
  const known = (before.fields ?? []).find((f) => f.name === name);
  const field = {
    ...(known?.formerly ? { formerly: known.formerly } : {}),
    name,
    type: reading.type,
    ...(reading.options?.length ? { options: reading.options } : {})
  };
  const saved = await saveSettings(
    pool,
    { ...before, fields: [...(before.fields ?? []).filter((f) => f.name !== name), field] },
    by,
    revision
  );
  if (!saved.ok) return { ok: false, problem: saved.problems.join(' ') };
  return longTransaction(pool, async (db) => {
    await afterBatches(db);
    const { rows } = await db.query<{ zone: string }>('select zone from workspace');
    let lost = 0;
    const changes: { from: string; to: string | null }[] = [];
    for (const { value, people } of await valuesOf(db, name)) {
      const to = converted(value, reading, rows[0]?.zone ?? 'UTC');
      if (to === null) lost += people;
      const [a, b] = [JSON.stringify(value), to === null ? null : JSON.stringify(to)];
      if (a !== b) changes.push({ from: a, to: b });
    }
    await db.query(
      `update people p set fields = case when t.after is null then p.fields - $1 else p.fields || jsonb_build_object($1::text, t.after) end
       from unnest($2::jsonb[], $3::jsonb[]) as t (before, after) where p.fields -> $1 = t.before`,
      [name, changes.map((c) => c.from), changes.map((c) => c.to)]
    );
    await db.query(`insert into acts (at, by, what, detail) values ($1, $2, 'type changed', $3)`, [
      ts(await now(db)),
      by,
      JSON.stringify({ field: name, type: reading.type, lost })
    ]);
    await changed(db, { people: 'many' });
    return { ok: true, lost };
  });
}
