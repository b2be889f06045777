/** What whoever watches over the machines asks: does it work, and does anything wait that should not? */
import type { Db } from '../db/pool.ts';

export interface Health {
  ok: true;
  /** People whose work failed and waits for another try. */
  setAside: number;
}

export async function health(db: Db): Promise<Health> {
  const { rows } = await db.query<{ aside: number }>({
    name: 'health',
    text: 'select (select count(*) from set_aside) as aside'
  });
  return { ok: true, setAside: rows[0]?.aside ?? 0 };
}
