/** Keys of programs: made once, shown once, kept as their hash, revoked at once. */
import { createHash, randomBytes } from 'node:crypto';
import type { Db } from '../db/pool.ts';

export const SCOPES = ['happenings:write', 'metrics:read'] as const;
export type Scope = (typeof SCOPES)[number];

export interface ApiKey {
  id: number;
  name: string;
  ending: string;
  scopes: Scope[];
  created_at: number;
  created_by: string;
  used_at: number | null;
  revoked_at: number | null;
}

const PREFIX = 'ambulo_';
const hashOf = (token: string): Buffer => createHash('sha256').update(token).digest();

/** Makes a key; its token is given here and never again. */
export async function makeKey(db: Db, name: string, scopes: readonly Scope[], by: string): Promise<string> {
  const token = PREFIX + randomBytes(24).toString('base64url');
  await db.query('insert into api_keys (name, token_hash, ending, scopes, created_by) values ($1, $2, $3, $4, $5)', [
    name,
    hashOf(token),
    token.slice(-4),
    scopes,
    by
  ]);
  return token;
}

/** The key that a request's `Authorization` names and that is in force; `null` for none. */
export async function keyOf(db: Db, authorization: string | null): Promise<ApiKey | null> {
  const token = /^Bearer\s+(ambulo_[\w-]{32})$/i.exec(authorization ?? '')?.[1];
  if (!token) return null;
  const { rows } = await db.query<ApiKey>({
    name: 'api-key',
    text: `select id, name, ending, scopes, created_at, created_by, used_at, revoked_at from api_keys
      where token_hash = $1 and revoked_at is null`,
    values: [hashOf(token)]
  });
  const key = rows[0];
  if (!key) return null;
  // Once a minute is often enough to see whether anybody still uses it.
  await db.query({
    name: 'api-key-used',
    text: `update api_keys set used_at = clock_timestamp()
      where id = $1 and (used_at is null or used_at < clock_timestamp() - interval '1 minute')`,
    values: [key.id]
  });
  return key;
}

export async function listKeys(db: Db): Promise<ApiKey[]> {
  const { rows } = await db.query<ApiKey>(
    `select id, name, ending, scopes, created_at, created_by, used_at, revoked_at from api_keys
     order by revoked_at is not null, id desc limit 200`
  );
  return rows;
}

/** Revokes a key: from now on it opens nothing. False where it was revoked before. */
export async function revokeKey(db: Db, id: number): Promise<boolean> {
  const { rowCount } = await db.query(
    'update api_keys set revoked_at = clock_timestamp() where id = $1 and revoked_at is null',
    [id]
  );
  return rowCount === 1;
}
