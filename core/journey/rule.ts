/** Rules over several keys of one value, told together with whatever else is wrong with it. */

/** A value whose keys may have any shape: what a rule sees before the schema has accepted it. */
type Loose<T> = { [K in keyof T]?: unknown };

/**
 * The options of `refine` for a rule over several keys: what it says, where, and whether the keys it reads have the
 * shapes it needs. Without these options a rule is not asked while another key is wrong, so that mending one
 * fault only shows the next.
 */
export function rule<T extends object>(
  error: string,
  reads: (value: Loose<T>) => boolean = () => true,
  path: string[] = []
): { error: string; path: string[]; when: (payload: { value: unknown }) => boolean } {
  return {
    error,
    path,
    when: ({ value }) =>
      typeof value === 'object' && value !== null && !Array.isArray(value) && reads(value as Loose<T>)
  };
}

/** Whether a value is absent or an array of texts. */
export const texts = (value: unknown): boolean =>
  value === undefined || (Array.isArray(value) && value.every((v) => typeof v === 'string'));
