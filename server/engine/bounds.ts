/**
 * How much of what is on record is held in memory. Somebody whom a program tells a million things about, or whose mail a machine
 * opens again and again, is one person: what they make of it is theirs alone, and must not take the worker from everybody else.
 */

/** How much of a kind is read of one person (their latest; a walk's), and of several together. */
export const MOST_PAST = { one: 100_000, together: 200_000 };
export type Most = Readonly<typeof MOST_PAST>;

/** Several people have more on record together than is held in memory at once: they have to be worked on in smaller parts. */
export class TooMuchPast extends Error {
  constructor() {
    super('more on record than is read at once');
  }
}

/** How many rows to ask for, of so many people: one more than is taken tells that there is too much. */
export const rowsOf = (people: number, most: Most = MOST_PAST): number => (people > 1 ? most.together + 1 : most.one);

/** @throws {TooMuchPast} where there are more rows than are taken at once; never of one person alone. */
export function bounded<T>(rows: T[], people: number, most: Most = MOST_PAST): T[] {
  if (people > 1 && rows.length > most.together) throw new TooMuchPast();
  return rows;
}
