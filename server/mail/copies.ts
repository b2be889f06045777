/**
 * Copies of a message: it was sent once more by hand, under an id of its own and perhaps to another address. `messages.copies` has one
 * element for each: when (`at`), by whom (`by`), when it had gone out before (`before`), where to (`was`), and where it goes now (`to`).
 */
import { ts, type Db } from '../db/pool.ts';

/** SQL: how many copies there are of a message `m`. */
export const copiesOf = (m: string): string => `coalesce(jsonb_array_length(${m}.copies), 0)`;

/** SQL: the address to which a message `m` went as its `copy`-th copy (0: the first of all). */
export const wentTo = (m: string, copy: string): string =>
  `coalesce(${m}.copies -> ${copy}::integer ->> 'was', ${m}.address)`;

/**
 * Nobody may write to an address that is not there, to which an earlier copy had gone. Where it is still theirs the engine sees to that;
 * where it is not, what bounced says nothing about them, nor about the message that is on its way to the other.
 */
export async function suppressEarlier(db: Db, address: string, at: number): Promise<void> {
  await db.query({
    name: 'suppress-earlier',
    text: `insert into suppressions (address, at, reason) values (lower($1), $2, 'bounced') on conflict do nothing`,
    values: [address, ts(at)]
  });
}
