/** wait: stand still for a duration. */
import { z } from 'zod';
import { durationSchema } from '../journey/values.ts';
import { durationWords } from '../tell/words.ts';
import { addDuration } from '../time/civil.ts';
import { duration } from '../time/duration.ts';
import { common, noLanes, type StepKind } from './base.ts';

export const waitSchema = z.strictObject({ ...common, kind: z.literal('wait'), for: durationSchema });
export type WaitStep = z.infer<typeof waitSchema>;

export const wait: StepKind<WaitStep> = {
  does: 'stand still for a time',
  create: (key) => ({ key, kind: 'wait', for: 'P1D' }),
  lanes: noLanes,
  run(step, here, { at, zone, walk }) {
    if (walk.standing) return { effects: [], move: { go: here.next } };
    return { effects: [], move: { stand: { kind: 'wait', until: addDuration(zone, at, duration(step.for)) } } };
  },
  card: (step) => ({ title: step.name ?? 'Wait', line: durationWords(step.for) }),
  tell: (step) => `Wait ${durationWords(step.for)}.`
};
