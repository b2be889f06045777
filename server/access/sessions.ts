/** Sign-in and sessions. Passwords are argon2id hashes; the cookie's token is kept only as its hash. */
import { createHash, randomBytes } from 'node:crypto';
import { hash, verify } from '@node-rs/argon2';
import { notify } from '../db/notify.ts';
import type { Db } from '../db/pool.ts';

export interface User {
  id: number;
  name: string;
  email: string;
}

export const SESSION_COOKIE = 'ambulo-session';
export const SESSION_DAYS = 14;

const hashOf = (token: string): Buffer => createHash('sha256').update(token).digest();

export async function createUser(db: Db, user: { email: string; name: string; password: string }): Promise<void> {
  await db.query('insert into users (email, name, password_hash) values ($1, $2, $3) on conflict do nothing', [
    user.email.toLowerCase(),
    user.name,
    await hash(user.password)
  ]);
}

// Checked when there is no such user, so that the answer takes as long.
const nobody = hash(randomBytes(16));

/** A new session's token, or `null` where name and password do not belong together. */
export async function signIn(db: Db, email: string, password: string): Promise<string | null> {
  const { rows } = await db.query<{ id: number; password_hash: string }>(
    'select id, password_hash from users where email = $1',
    [email.trim().toLowerCase()]
  );
  const user = rows[0];
  const right = await verify(user?.password_hash ?? (await nobody), password);
  if (!user || !right) return null;
  const token = randomBytes(32).toString('base64url');
  await db.query(
    `insert into sessions (token_hash, user_id, expires_at) values ($1, $2, now() + make_interval(days => $3))`,
    [hashOf(token), user.id, SESSION_DAYS]
  );
  await db.query('delete from sessions where expires_at < now()');
  return token;
}

export async function userOf(db: Db, token: string): Promise<User | null> {
  const { rows } = await db.query<User>({
    name: 'session',
    text: `select u.id, u.name, u.email from sessions s join users u on u.id = s.user_id
           where s.token_hash = $1 and s.expires_at > now()`,
    values: [hashOf(token)]
  });
  return rows[0] ?? null;
}

export async function signOut(db: Db, token: string): Promise<void> {
  await db.query('delete from sessions where token_hash = $1', [hashOf(token)]);
  await notify(db, 'session');
}
