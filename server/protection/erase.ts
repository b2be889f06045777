/**
 * Erasing a person: everything of them goes but what proves their consent and their suppression, by a hash of each address they
 * ever had, so that none of them is taken in again unasked.
 * Figures stay: they are sums, of nobody.
 */
import { now } from '../workspace/clock.ts';
import { changed } from '../db/notify.ts';
import { transaction, ts, type Db, type Pool } from '../db/pool.ts';
import { leaveDoubles } from '../people/doubles.ts';
import { addressesOf, type HadAddress } from './addresses.ts';
import { hasher } from './hash.ts';
import { blotOut, leaveCrowds, patternOf, removeFiles } from './traces.ts';

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

/** Two who waited for each other: one of them comes again. */
const TRIES = 4;

/** Erases a person; `null` where there is none. Who works on them meanwhile is waited for. */
export async function erase(pool: Pool, id: number, by: string): Promise<Erased | null> {
  for (let tries = 1; ; tries++) {
    try {
      return await transaction(pool, async (db) => {
        const held = await holdings(db, id);
        const { people, files } = await eraseAll(db, [id], by);
        return people ? { ...held, files } : null;
      });
    } catch (error) {
      if ((error as { code?: string }).code !== '40P01' || tries === TRIES) throw error;
    }
  }
}

/** Erases some dozens of people, within the transaction at hand; how many there were, and how many files went with them. */
export async function eraseAll(db: Db, ids: readonly number[], by: string): Promise<{ people: number; files: number }> {
  const { rows: people } = await db.query<{ id: number }>(
    'select id from people where id = any($1::bigint[]) order by id for update',
    [ids]
  );
  if (!people.length) return { people: 0, files: 0 };
  const there = people.map((p) => p.id);
  const all = await addressesOf(db, there);
  const at = ts(await now(db));
  await proveAll(db, all, at, by);
  const addresses = [...new Set(all.map((a) => a.address.toLowerCase()))];
  await leaveCrowds(db, there);
  await blotOut(db, addresses, there);
  for (const id of there) await leaveDoubles(db, id);
  // Tables that name a person without a reference to them, which takes longer to check than to keep.
  for (const table of LOOSE) await db.query(`delete from ${table} where person_id = any($1::bigint[])`, [there]);
  const files = await removeFiles(db, addresses);
  await db.query('delete from people where id = any($1::bigint[])', [there]);
  await db.query(
    `insert into acts (at, by, what, detail) select $1::timestamptz, $2, 'erased', jsonb_build_object('person', id)
     from unnest($3::bigint[]) as t (id)`,
    [at, by, there]
  );
  await changed(db, { people: there });
  return { people: there.length, files };
}

const LOOSE = ['trail', 'draws', 'doubles_keys'];

/**
 * Keeps, by a hash of each address they ever had, what proves consent and suppression; what was agreed to is kept without the
 * address that may stand in it.
 */
async function proveAll(db: Db, all: readonly HadAddress[], at: string | null, by: string): Promise<void> {
  if (!all.length) return;
  const hash = await hasher(db);
  const pattern = patternOf(all.map((a) => a.address));
  const each = new Map(all.map((a) => [`${a.person} ${a.address.toLowerCase()}`, a]));
  for (const { person, channel, address } of each.values())
    await db.query(
      `insert into erased (hash, at, by, consents, suppressed)
       values ($1, $2, $3,
         (select coalesce(jsonb_agg(jsonb_build_object('state', state, 'at', at, 'source', regexp_replace(source, $7, '…', 'gi'),
            'wording', regexp_replace(wording, $7, '…', 'gi')) order by id), '[]')
          from consent_records where person_id = $4 and channel = $5 and (address is null or lower(address) = $6)),
         (select regexp_replace(reason, $7, '…', 'gi') from suppressions where address = $6))
       on conflict (hash) do update
       set at = excluded.at, by = excluded.by, consents = erased.consents || excluded.consents,
         suppressed = coalesce(excluded.suppressed, erased.suppressed), noted_at = clock_timestamp()`,
      [hash(address), at, by, person, channel, address.toLowerCase(), pattern]
    );
}
