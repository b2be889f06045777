/** Whom a happening from outside is about: the message or task that it names by its step. Rules: docs/journey-language.md, "Happenings". */
import { isMessage } from '../steps/index.ts';
import type { JourneyPlan } from '../journey/compile.ts';
import type { Channel } from './values.ts';
import type { PersonState } from './state.ts';
import type { Input } from './world.ts';

/** A message or task, by the step that made it: of one journey, or of any. */
export interface Subject {
  step: string;
  journey?: string;
}

/** The happening with the message or task it names by its step: the latest one made from it, or none of all. */
export function withSubject(
  input: Input,
  of: Subject | undefined,
  person: PersonState,
  plans: readonly JourneyPlan[]
): Input {
  if (input.kind !== 'happening' || !of) return input;
  const message = input.happening.name === 'task_done' ? undefined : latest(person.sent, of);
  const found = message ?? (input.happening.name === 'task_done' ? latest(person.tasks, of) : undefined);
  const about = found
    ? { walk: found.walk, journey: found.journey, step: found.step }
    : { walk: 0, journey: '', step: '' };
  const channel = message?.channel ?? channelOf(plans, of, input.happening.channel);
  return { kind: 'happening', happening: { ...input.happening, about, ...(channel ? { channel } : {}) } };
}

/**
 * The channel of a message step, for a happening about one that was never sent. Where several journeys have a step of that
 * key, the one of the channel that the happening says; where none has, that channel itself.
 */
function channelOf(plans: readonly JourneyPlan[], of: Subject, said: Channel | undefined): Channel | undefined {
  let first: Channel | undefined;
  for (const plan of plans) {
    const step = of.journey === undefined || of.journey === plan.key ? plan.byKey.get(of.step)?.step : undefined;
    if (!step || !isMessage(step)) continue;
    if (step.kind === said) return said;
    first ??= step.kind;
  }
  return first ?? said;
}

/** The latest that was made from a step, of any journey or of one. */
function latest<T extends { step: string; journey: string }>(made: readonly T[], of: Subject): T | undefined {
  for (let i = made.length - 1; i >= 0; i--) {
    const m = made[i];
    if (m?.step === of.step && (of.journey === undefined || m.journey === of.journey)) return m;
  }
  return undefined;
}
