/**
 * Writing many rows that refer to rows written just before, in the same transaction. PostgreSQL looks each reference up
 * by itself, which takes longer than writing the row; nobody else can see what these refer to, let alone delete it.
 */
import type { Db } from './pool.ts';

const SET = (to: 'replica' | 'origin'): string =>
  `select set_config('session_replication_role', '${to}', true) where has_parameter_privilege('session_replication_role', 'set')`;

/**
 * Does work whose references are known to be there, inside a transaction. No trigger runs in it either: only for tables that have
 * none. Where the role may not ask for this, everything is checked as always.
 */
export async function withKnownReferences(db: Db, work: () => Promise<void>): Promise<void> {
  await db.query(SET('replica'));
  // What fails takes the transaction with it, and this setting.
  await work();
  await db.query(SET('origin'));
}
