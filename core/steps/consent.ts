/** consent: change what we may send: withdrawn, or asked anew. */
import { z } from 'zod';
import { channel } from '../condition/happening.ts';
import type { Channel } from '../person/values.ts';
import { atOnce, switchable, counted, goOn, lacksNothing, noLanes, readsNothing, type StepKind } from './base.ts';

export const consentSchema = z.strictObject({
  ...switchable,
  kind: z.literal('consent'),
  channel,
  state: z.enum(['withdrawn', 'pending'])
});
export type ConsentStep = z.infer<typeof consentSchema>;

const WORDS = { email: 'email', sms: 'texts' };

export const consent: StepKind<ConsentStep> = {
  does: 'change what we may send',
  reads: readsNothing,
  reaches: null,
  lacks: lacksNothing,
  // Asking does no harm where it was not meant; withdrawing would.
  create: (key) => ({ key, kind: 'consent', channel: 'sms', state: 'pending' }),
  lanes: noLanes,
  run: (step, here) => goOn(here, { do: 'consent', channel: step.channel, state: step.state }),
  card: (step) => ({ title: step.name || 'Consent', line: `${WORDS[step.channel]}: ${step.state}` }),
  tell: (step) =>
    step.state === 'withdrawn'
      ? `Their consent for ${WORDS[step.channel]} is withdrawn.`
      : `Those who gave no consent for ${WORDS[step.channel]} are asked for it.`,
  lasts: atOnce,
  done: 'consent',
  figure: counted('changed'),
  trail: {
    consent: (d) => [
      'Consent',
      `${WORDS[d['channel'] as Channel]}: ${d['state'] === null ? 'none' : String(d['state'])}`
    ]
  }
};
