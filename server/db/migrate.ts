/**
 * Numbered plain SQL migrations, each applied once, in order, in a transaction of its own. What was applied is known by its
 * checksum: a file that was changed afterwards says nothing of the database any more, and is refused.
 */
import { createHash } from 'node:crypto';
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { transaction, type Db, type Pool } from './pool.ts';

// Any number will do, as long as nothing else in this database takes the same lock.
const MIGRATION_LOCK = 4_116_001;

/** A change of the tables goes through whatever they hold. */
const FOR_EVER = { longest: 0 };

interface Migration {
  name: string;
  sql: string;
  checksum: string;
}

/**
 * Applies what is missing from `folder`; gives the names of those applied. Killed anywhere, those before stand and the rest
 * comes the next time; started by several at once, one of them does it.
 * @throws Error where a file is not what was applied under its name.
 */
export async function migrate(pool: Pool, folder = 'db/migrations'): Promise<string[]> {
  const all = readdirSync(folder)
    .filter((name) => name.endsWith('.sql'))
    .sort()
    .map((name): Migration => {
      const sql = readFileSync(join(folder, name), 'utf8');
      return { name, sql, checksum: createHash('sha256').update(sql).digest('hex') };
    });
  const applied: string[] = [];
  for (const migration of all) {
    const fresh = await transaction(pool, (db) => apply(db, migration), FOR_EVER);
    if (fresh) applied.push(migration.name);
  }
  return applied;
}

/** Applies one, where it was not; true where it was applied now. */
async function apply(db: Db, { name, sql, checksum }: Migration): Promise<boolean> {
  await db.query('select pg_advisory_xact_lock($1)', [MIGRATION_LOCK]);
  await db.query(
    `create table if not exists migrations (name text primary key, applied_at timestamptz not null default now());
     alter table migrations add column if not exists checksum text`
  );
  const { rows } = await db.query<{ checksum: string | null }>('select checksum from migrations where name = $1', [
    name
  ]);
  const known = rows[0];
  if (known?.checksum === checksum) return false;
  if (known?.checksum)
    throw new Error(
      `db/migrations/${name} is not what was applied to this database. Put the file back as it was, and make the change a new migration.`
    );
  if (!known) await db.query(sql);
  // Of those applied before checksums were kept, today's file is taken for what it was.
  await db.query(
    `insert into migrations (name, checksum) values ($1, $2) on conflict (name) do update set checksum = excluded.checksum`,
    [name, checksum]
  );
  return !known;
}
