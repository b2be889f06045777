/** Addresses of whom nothing else is kept: a keyed hash, so that a list of addresses does not tell who they were. */
import { createHmac } from 'node:crypto';
import type { Db } from '../db/pool.ts';

export type Hasher = (address: string) => Buffer;

/** Hashes addresses by the workspace's secret. */
export async function hasher(db: Db): Promise<Hasher> {
  const { rows } = await db.query<{ secret: Buffer }>('select secret from workspace');
  const secret = rows[0]?.secret ?? Buffer.alloc(0);
  return (address) => createHmac('sha256', secret).update(`erased ${address.toLowerCase()}`).digest();
}
