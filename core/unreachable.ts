/** Stands behind the last case of a switch over all there is: whatever is added to it and forgotten there does not compile. */
export function unreachable(value: never): never {
  throw new Error(`not foreseen: ${JSON.stringify(value)}`);
}
