/** A lane: a row of steps. It stands apart because steps hold lanes and lanes hold steps. */
import { z } from 'zod';
import { stepSchema, type Step } from './index.ts';

// An interface, because a type alias that reaches itself through an inferred schema cannot be resolved.
export interface Lane extends Array<Step> {}

export const laneSchema: z.ZodType<Lane> = z.lazy(() => z.array(stepSchema));
