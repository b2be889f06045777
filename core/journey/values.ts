/** Small values that several parts of a journey share. */
import { z } from 'zod';
import { parseDuration } from '../time/duration.ts';

export const durationSchema = z.string().refine((text) => parseDuration(text) !== null, {
  error: 'expected a duration above zero, such as "P2D" or "PT90M"'
});
