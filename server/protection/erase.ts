/**
 * Erasing a person: everything of them goes but what proves their consent and their suppression, by a hash of the address.
 * Figures stay: they are sums, of nobody.
 */
import type { Channel } from '../../core/person/values.ts';
import { now } from '../clock/clock.ts';
import { changed } from '../db/notify.ts';
import { transaction, ts, type Db, type Pool } from '../db/pool.ts';
import { leaveDoubles } from '../people/doubles.ts';
import { hasher } from './hash.ts';

export interface Erased {
  messages: number;
  walks: number;
  happenings: number;
  /** Uploaded files in which an address of theirs stood: gone with them. */
  files: number;
}

export type Holdings = Omit<Erased, 'files'>;

/** How much there is of a person. */
export async function holdings(db: Db, id: number): Promise<Holdings> {
  const { rows } = await db.query<Holdings>(
    `select (select count(*) from messages where person_id = $1) as messages,
       (select count(*) from walks where person_id = $1) as walks,
       (select count(*) from happenings where person_id = $1) as happenings`,
    [id]
  );
  return rows[0] ?? { messages: 0, walks: 0, happenings: 0 };
}

/** Erases a person; `null` where there is none. Who works on them meanwhile is waited for. */
export async function erase(pool: Pool, id: number, by: string): Promise<Erased | null> {
  return transaction(pool, async (db) => {
    const held = await holdings(db, id);
    const { people, files } = await eraseAll(db, [id], by);
    return people ? { ...held, files } : null;
  });
}

/** Erases some dozens of people, within the transaction at hand; how many there were, and how many files went with them. */
export async function eraseAll(db: Db, ids: readonly number[], by: string): Promise<{ people: number; files: number }> {
  const { rows: people } = await db.query<{ id: number; email: string | null; phone: string | null }>(
    'select id, email, phone from people where id = any($1::bigint[]) order by id for update',
    [ids]
  );
  if (!people.length) return { people: 0, files: 0 };
  const there = people.map((p) => p.id);
  const { rows: others } = await db.query<{ id: number; channel: Channel; address: string }>(
    'select person_id as id, channel, address from other_addresses where person_id = any($1::bigint[])',
    [there]
  );
  const all = [
    ...people.flatMap(({ id, email, phone }) => [
      ...(email ? [{ id, channel: 'email' as const, address: email }] : []),
      ...(phone ? [{ id, channel: 'sms' as const, address: phone }] : [])
    ]),
    ...others
  ];
  const at = ts(await now(db));
  await proveAll(db, all, at, by);
  const addresses = all.map((a) => a.address.toLowerCase());
  await db.query('delete from suppressions where address = any($1::text[])', [addresses]);
  await db.query('delete from lifted_suppressions where address = any($1::text[])', [addresses]);
  await db.query('delete from stray_texts where sender = any($1::text[])', [addresses]);
  await db.query('delete from draws where person_id = any($1::bigint[])', [there]);
  for (const id of there) await leaveDoubles(db, id);
  await db.query(`delete from import_rows where email = any($1::text[]) or phone = any($1::text[])`, [addresses]);
  await db.query(`delete from import_refused where lower(found) = any($1::text[])`, [addresses]);
  const files = await db.query(
    `delete from import_files f where exists (select from import_parts p, unnest($1::text[]) as a (address)
       where p.file_id = f.id and position(convert_to(a.address, 'UTF8') in p.bytes) > 0)`,
    [addresses]
  );
  await db.query('delete from people where id = any($1::bigint[])', [there]);
  await db.query(
    `insert into acts (at, by, what, detail) select $1::timestamptz, $2, 'erased', jsonb_build_object('person', id)
     from unnest($3::bigint[]) as t (id)`,
    [at, by, there]
  );
  await changed(db, { people: there });
  return { people: there.length, files: files.rowCount ?? 0 };
}

/** Keeps, by a hash of each address, what proves consent and suppression. */
async function proveAll(
  db: Db,
  all: { id: number; channel: Channel; address: string }[],
  at: string | null,
  by: string
): Promise<void> {
  const hash = await hasher(db);
  for (const { id, channel, address } of all)
    await db.query(
      `insert into erased (hash, at, by, consents, suppressed)
       values ($1, $2, $3,
         (select coalesce(jsonb_agg(jsonb_build_object('state', state, 'at', at, 'source', source, 'wording', wording) order by id), '[]')
          from consent_records where person_id = $4 and channel = $5),
         (select reason from suppressions where address = $6))
       on conflict (hash) do update
       set at = excluded.at, by = excluded.by, consents = erased.consents || excluded.consents,
         suppressed = coalesce(excluded.suppressed, erased.suppressed)`,
      [hash(address), at, by, id, channel, address.toLowerCase()]
    );
}
