/** A record whose keys are names that somebody typed: each is kept as its own, `__proto__` as well, which Zod's own record leaves out. */
import { z } from 'zod';

/** Zod for a record of values by name; what is wrong is told by its key. */
export const recordOf = <T>(value: z.ZodType<T>) =>
  z
    .unknown()
    .meta({ type: 'object', additionalProperties: true })
    .transform((given, context): Record<string, T> => {
      if (typeof given !== 'object' || given === null || Array.isArray(given)) {
        context.addIssue({ code: 'custom', message: 'expected an object of values by name' });
        return z.NEVER;
      }
      return Object.fromEntries(
        Object.entries(given).flatMap(([key, one]): [string, T][] => {
          const read = value.safeParse(one);
          if (read.success) return [[key, read.data]];
          for (const issue of read.error.issues)
            context.addIssue({ code: 'custom', message: issue.message, path: [key, ...issue.path] });
          return [];
        })
      );
    });
