/** Colleagues: who is told things and gets tasks. */
import type { Db } from '../db/pool.ts';

export interface Colleague {
  email: string;
  name: string;
}

/** A colleague by address or name: someone who signs in here, or any address that is given as one. `null` for nobody. */
export async function colleague(db: Db, who: string | null): Promise<Colleague | null> {
  if (!who) return null;
  const { rows } = await db.query<Colleague>({
    name: 'colleague',
    text: 'select email, name from users where email = lower($1) or lower(name) = lower($1) order by id limit 1',
    values: [who]
  });
  if (rows[0]) return rows[0];
  return /^[^\s@<>",;]+@[^\s@<>",;]+$/.test(who) ? { email: who, name: who } : null;
}
