/**
 * Records keyed by what people typed. They have nothing of their own, so that a step called `constructor` or a lane called
 * `__proto__` is a key like any other. Made by a constructor whose prototype is empty: an object without any prototype is
 * kept as a dictionary, which is several times as slow to make and to write (a third of the time of a walk).
 */
function Bare(): void {
  // All there is comes from outside.
}
Bare.prototype = Object.create(null) as object;

/** A record without anything inherited, with the entries of another. */
export function bare<T>(from?: Readonly<Record<string, T>>): Record<string, T> {
  const made = new (Bare as unknown as new () => Record<string, T>)();
  return from ? Object.assign(made, from) : made;
}
