/**
 * Erasing a person: everything of them goes but what proves their consent and their suppression, by a hash of the address.
 * Figures stay: they are sums, of nobody.
 */
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
    const { rows } = await db.query<{ email: string | null; phone: string | null }>(
      'select email, phone from people where id = $1 for update',
      [id]
    );
    const [person] = rows;
    if (!person) return null;
    const hash = await hasher(db);
    const at = ts(await now(db));
    const others = await db.query<{ channel: 'email' | 'sms'; address: string }>(
      'select channel, address from other_addresses where person_id = $1',
      [id]
    );
    for (const [channel, address] of [
      ['email', person.email],
      ['sms', person.phone],
      ...others.rows.map((o) => [o.channel, o.address] as const)
    ] as const) {
      if (!address) continue;
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
    const addresses = [person.email?.toLowerCase(), person.phone, ...others.rows.map((o) => o.address)].filter(
      (a) => typeof a === 'string'
    );
    await db.query('delete from suppressions where address = any($1::text[])', [addresses]);
    await db.query('delete from lifted_suppressions where address = any($1::text[])', [addresses]);
    await db.query('delete from stray_texts where sender = any($1::text[])', [addresses]);
    await db.query('delete from draws where person_id = $1', [id]);
    await leaveDoubles(db, id);
    await db.query(`delete from import_rows where email = any($1::text[]) or phone = any($1::text[])`, [addresses]);
    await db.query(`delete from import_refused where lower(found) = any($1::text[])`, [addresses]);
    const files = await db.query(
      `delete from import_files f where exists (select from import_parts p, unnest($1::text[]) as a (address)
         where p.file_id = f.id and position(convert_to(a.address, 'UTF8') in p.bytes) > 0)`,
      [addresses]
    );
    const held = await holdings(db, id);
    await db.query('delete from people where id = $1', [id]);
    await db.query(`insert into acts (at, by, what, detail) values ($1, $2, 'erased', $3)`, [
      at,
      by,
      JSON.stringify({ person: id })
    ]);
    await changed(db, { people: [id] });
    return { ...held, files: files.rowCount ?? 0 };
  });
}
