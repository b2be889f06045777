/**
 * What `email` and `sms` share: whether a message can be sent to this person
 * now. Rules: docs/journey-language.md, "Sending".
 */
import { z } from 'zod';
import type { Channel } from '../condition/schema.ts';
import { addressOf } from '../person/state.ts';
import { hoursSchema, nextOpening } from '../time/hours.ts';
import type { Instruction } from '../journey/compile.ts';
import type { Effect, Move, StepContext } from './base.ts';

/** A step's own sending hours; `"any"` means none, whatever the journey says. */
export const stepHours = z.union([z.literal('any'), hoursSchema]).optional();
export type StepHours = z.infer<typeof stepHours>;

export function send(
  channel: Channel,
  hours: StepHours,
  here: Instruction,
  { at, zone, plan, person, suppressed }: StepContext
): { effects: Effect[]; move: Move } {
  const skip = (reason: string): { effects: Effect[]; move: Move } => ({
    effects: [{ do: 'note', what: 'skipped', detail: { channel, reason } }],
    move: { go: here.next }
  });
  const address = addressOf(person, channel);
  if (!address) return skip('no-address');
  if (person.consent[channel] !== 'given') return skip('no-consent');
  if (suppressed(address)) return skip('suppressed');
  const rule = hours ?? plan.document.hours;
  if (rule && rule !== 'any') {
    const opening = nextOpening(rule, zone, at);
    if (opening === null) return skip('hours');
    if (opening > at) return { effects: [], move: { stand: { kind: 'held', until: opening } } };
  }
  return { effects: [{ do: 'send', channel }], move: { go: here.next } };
}
