/** The value that a record has of its own under a name that somebody typed: nothing is looked up on a prototype. */
export const own = <T>(record: Readonly<Record<string, T>>, key: string): T | undefined =>
  Object.hasOwn(record, key) ? record[key] : undefined;
