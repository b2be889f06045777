/** Small values that several parts of a journey share. */
import { z } from 'zod';
import { parseDuration, parseOffset } from '../time/duration.ts';
import { parseInstant } from '../time/instant.ts';

/** The key of a step or journey. Keys of messages are part of their ids, so they are short. */
export const keyText = z
  .string()
  .regex(/^[a-z0-9-]{1,60}$/, { error: 'expected 1 to 60 lower-case letters, digits and "-"' });

export const durationSchema = z.string().refine((text) => parseDuration(text) !== null, {
  error: 'expected a duration above zero and of at most 100 years, such as "P2D" or "PT90M"'
});

/** A duration that may be zero or negative: how far from a date. */
export const offsetSchema = z.string().refine((text) => parseOffset(text) !== null, {
  error: 'expected a duration of at most 100 years, such as "P2D", "-P10D" or "P0D"'
});

export const instantSchema = z.string().refine((text) => parseInstant(text) !== null, {
  error: 'expected an instant with a zone, such as "2027-03-01T09:00:00Z"'
});
