/**
 * What `email` and `sms` share: whether a message can be sent to this person
 * now, and if not, when. Rules: docs/journey-language.md, "Sending".
 */
import { z } from 'zod';
import type { Channel } from '../person/values.ts';
import { addressOf, type PersonState } from '../person/state.ts';
import { settingsZone } from '../engagement/scores.ts';
import type { Workspace } from '../settings/workspace.ts';
import { addDuration } from '../time/civil.ts';
import { FARTHEST, hoursSchema, nextOpening, type Hours } from '../time/hours.ts';
import type { Instruction } from '../walk/plan.ts';
import { keySchema, switchable, type Outcome, type StepContext } from './base.ts';
import { opens, type Known, type Say } from './known.ts';
import { LONGEST, naming } from '../text/text.ts';

/** A step's own sending hours; `"any"` means none, whatever the journey says. */
export const stepHours = z.union([z.literal('any'), hoursSchema]).optional();

/** Keys that both kinds of message may carry. */
export const sendingKeys = {
  ...switchable,
  message: keySchema.optional(),
  from: naming(LONGEST.name).optional(),
  service: z.boolean().optional(),
  hours: stepHours,
  over: z.enum(['hold', 'skip', 'send']).optional(),
  cannot: z.enum(['go-on', 'leave']).optional()
};

export interface Sending {
  service?: boolean | undefined;
  hours?: Hours | 'any' | undefined;
  over?: 'hold' | 'skip' | 'send' | undefined;
  cannot?: 'go-on' | 'leave' | undefined;
}

/** Until when the limits forbid a message (UTC ms); at or before `at` where they do not. */
function limitedUntil(workspace: Workspace, person: PersonState, channel: Channel, at: number): number {
  let free = at;
  for (const limit of workspace.limits) {
    if (limit.channel !== null && limit.channel !== channel) continue;
    const zone = settingsZone(person, workspace);
    const counting: number[] = [];
    // The latest come last; a window of one length ends in the order in which it began.
    for (let i = person.sent.length - 1; i >= 0 && counting.length < limit.atMost; i--) {
      const m = person.sent[i];
      if (!m || m.service || (limit.channel !== null && m.channel !== limit.channel)) continue;
      const ends = addDuration(zone, m.at, limit.per);
      if (ends <= at) break;
      counting.push(ends);
    }
    // So many count that the earliest of them has to end first.
    const first = counting[limit.atMost - 1];
    if (first !== undefined && first > free) free = first;
  }
  return free;
}

/** Hours that have to be open, and the zone of whoever is written to, as the journey or the settings see it. */
type OpenHours = [hours: Hours, zone: string];

/** The earliest instant at or after `from` at which all of these hours are open; `null` for none within 366 days of `at`. */
function openAt(rules: OpenHours[], at: number, from: number): number | null {
  let t = from;
  for (let tries = 0; tries < 1000; tries++) {
    const start = t;
    for (const [hours, zone] of rules) {
      const opening = nextOpening(hours, zone, t);
      if (opening === null || opening - at > FARTHEST) return null;
      t = opening;
    }
    if (t === start) return t;
  }
  return null;
}

/** Not sent: the reason is said, and the walk goes on. */
const skipped = (channel: Channel, reason: string, here: Instruction): Outcome => ({
  effects: [{ do: 'note', what: 'skipped', detail: { channel, reason } }],
  move: { go: here.next }
});

/** Cannot be sent to this person at all: skipped, and the walk leaves where the step says so. */
function cannotBeSent(channel: Channel, reason: string, step: Sending, here: Instruction): Outcome {
  const outcome = skipped(channel, reason, here);
  return step.cannot === 'leave' ? { ...outcome, move: { leave: 'early', reason } } : outcome;
}

const held = (until: number, reason: 'hours' | 'limit'): Outcome => ({
  effects: [],
  move: { stand: { kind: 'held', until }, reason }
});

export function send(channel: Channel, step: Sending, here: Instruction, context: StepContext): Outcome {
  const { at, zone, plan, person, around } = context;
  const { workspace } = around;
  const service = step.service ?? false;
  const address = addressOf(person, channel);
  if (!address) return cannotBeSent(channel, 'no-address', step, here);
  if (!service && person.consent[channel] !== 'given') return cannotBeSent(channel, 'no-consent', step, here);
  if (around.suppressed(address)) return cannotBeSent(channel, 'suppressed', step, here);

  const own = step.hours ?? plan.document.hours;
  const shared = workspace.hours[channel];
  const rules: OpenHours[] = own && own !== 'any' ? [[own, zone]] : [];
  // Settings know no journey, so not its zone either.
  if (shared) rules.push([shared, settingsZone(person, workspace)]);
  const opening = rules.length ? openAt(rules, at, at) : at;
  if (opening === null) return skipped(channel, 'hours', here);
  const over = service ? 'send' : (step.over ?? 'hold');
  const limits = over !== 'send' && workspace.limits.length > 0;
  const limited = limits ? limitedUntil(workspace, person, channel, at) : at;
  if (opening === at && limited <= at) return { effects: [{ do: 'send', channel, service }], move: { go: here.next } };
  const reason = opening > at ? 'hours' : 'limit';
  if (over === 'skip') return opening > at ? held(opening, 'hours') : skipped(channel, 'limit', here);
  // Hours and limits together: each may move the instant the other allows.
  let from = Math.max(opening, limited);
  for (let tries = 0; tries < 1000; tries++) {
    const open = rules.length ? openAt(rules, at, from) : from;
    if (open === null || open - at > FARTHEST) break;
    const free = limits ? limitedUntil(workspace, person, channel, open) : open;
    if (free <= open) return held(open, reason);
    from = free;
  }
  return skipped(channel, reason, here);
}

/** Sending hours that never open: a message's own, or its journey's, alone or with the settings'. */
export function sendingHours(channel: Channel, step: Sending, known: Known, say: Say): void {
  const shared = known.sharedHours(channel);
  if (step.hours && step.hours !== 'any') opens(step.hours, shared, ['hours'], say);
  else if (step.hours === undefined && known.hours && shared) opens(known.hours, shared, [], say);
}
