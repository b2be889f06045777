/** handover: enter another journey with what began this walk; leave this one unless it stays. */
import { z } from 'zod';
import { otherJourney } from './known.ts';
import {
  atOnce,
  switchable,
  counted,
  goOn,
  keySchema,
  lacksNothing,
  noLanes,
  readsNothing,
  type StepKind
} from './base.ts';

export const handoverSchema = z.strictObject({
  ...switchable,
  kind: z.literal('handover'),
  journey: keySchema,
  stay: z.boolean().optional()
});
export type HandoverStep = z.infer<typeof handoverSchema>;

export const handover: StepKind<HandoverStep> = {
  does: 'enter another journey',
  reads: readsNothing,
  reaches: 'other',
  lacks: lacksNothing,
  create: (key) => ({ key, kind: 'handover', journey: 'another' }),
  lanes: noLanes,
  // Whether they are let in, and with that whether they leave here, is decided by whoever carries this out.
  run: (step, here) => goOn(here, { do: 'handover', journey: step.journey, stay: step.stay ?? false }),
  card: (step) => ({ title: step.name || step.journey, line: step.stay ? 'enter as well' : 'go over to' }),
  tell: (step) => `They ${step.stay ? 'also enter' : 'go over to'} the journey ${step.journey}.`,
  problems: (step, known, say) => otherJourney(step.journey, ['journey'], known, say),
  handsOnEntry: true,
  lasts: atOnce,
  done: 'handed',
  figure: counted('handed over'),
  trail: { handed: (d) => ['Handed over', `to ${String(d['to'])}`] }
};
