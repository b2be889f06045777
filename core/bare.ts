/**
 * Records keyed by what people typed. They have no prototype, so that a step
 * called `constructor` or a lane called `__proto__` is a key like any other.
 */

/** A record without a prototype, with the entries of another. */
export function bare<T>(from: Readonly<Record<string, T>> = {}): Record<string, T> {
  return Object.assign(Object.create(null) as Record<string, T>, from);
}
