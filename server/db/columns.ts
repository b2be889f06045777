/** Rows as columns, for statements over `unnest` arrays. */

/** Turns rows into one array a column, in the order of `names`. */
export function columns<T extends object>(rows: readonly T[], names: readonly (keyof T)[]): unknown[][] {
  return names.map((key) => rows.map((row) => row[key]));
}
