/** Numbered plain SQL migrations, each applied once, in order, in a transaction of its own. */
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { transaction, type Pool } from './pool.ts';

// Any number will do, as long as nothing else in this database takes the same lock.
const MIGRATION_LOCK = 4_116_001;

/** Applies what is missing from `folder`; gives the names of those applied. */
export async function migrate(pool: Pool, folder = 'db/migrations'): Promise<string[]> {
  return transaction(pool, async (db) => {
    await db.query('select pg_advisory_xact_lock($1)', [MIGRATION_LOCK]);
    await db.query(
      'create table if not exists migrations (name text primary key, applied_at timestamptz not null default now())'
    );
    const { rows } = await db.query<{ name: string }>('select name from migrations');
    const applied = new Set(rows.map((r) => r.name));
    const missing = readdirSync(folder)
      .filter((name) => name.endsWith('.sql') && !applied.has(name))
      .sort();
    for (const name of missing) {
      await db.query(readFileSync(join(folder, name), 'utf8'));
      await db.query('insert into migrations (name) values ($1)', [name]);
    }
    return missing;
  });
}
