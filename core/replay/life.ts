/** One person's life in a replay: how it begins, and whom a happening of its files is about. */
import type { Channel } from '../person/values.ts';
import type { JourneyPlan } from '../journey/compile.ts';
import { Agenda, datedPlans, nextMidnight, type Course, type Position } from '../person/agenda.ts';
import { Keeper } from '../person/keeper.ts';
import type { Recorder, World } from '../person/world.ts';
import type { PersonState } from '../person/state.ts';
import { isMessage } from '../steps/index.ts';
import { beginDecay } from '../engagement/scores.ts';
import type { TimedInput } from './happenings.ts';

/** The course of a replay: everything is there beforehand, and nothing is ever late. */
export const courseOf = (world: World, from: number, until: number): Course => ({
  world,
  from,
  until,
  dated: datedPlans(world.plans),
  present: null
});

/** Begins a life. `start` is the first instant of all, UTC ms: decay and segments are counted from here. */
export function beginLife(
  course: Course,
  start: number,
  person: PersonState,
  inputs: readonly TimedInput[],
  recorder: Recorder
): Agenda<TimedInput> {
  const { world, from } = course;
  beginDecay(world.workspace, person, start);
  // What holds at the start is joined silently.
  new Keeper(world, person, start, recorder, () => undefined).lookAtSegments();
  return goOnLife(course, person, beginning(world, start, from), inputs, recorder);
}

/** Goes on with a life from where it stands. */
export function goOnLife(
  course: Course,
  person: PersonState,
  position: Position,
  inputs: readonly TimedInput[],
  recorder: Recorder
): Agenda<TimedInput> {
  const { plans } = course.world;
  return new Agenda(course, person, position, inputs, recorder, (timed) => withSubject(timed, person, plans));
}

const beginning = (world: World, start: number, from: number): Position => ({
  worked: start,
  midnight: world.workspace.daily ? nextMidnight(world.workspace.zone, start) : Infinity,
  existing: world.plans
    .filter((plan) => plan.entry.existing)
    .map((plan) => ({ plan, at: Math.max(from, plan.entry.opens) }))
});
/** The happening with the message or task it names by its step: the latest one made from it, or none of all. */
function withSubject(timed: TimedInput, person: PersonState, plans: readonly JourneyPlan[]): TimedInput['input'] {
  const { input, of } = timed;
  if (input.kind !== 'happening' || !of) return input;
  const message = input.happening.name === 'task_done' ? undefined : latest(person.sent, of);
  const found = message ?? (input.happening.name === 'task_done' ? latest(person.tasks, of) : undefined);
  const about = found
    ? { walk: found.walk, journey: found.journey, step: found.step }
    : { walk: 0, journey: '', step: '' };
  const channel = message?.channel ?? input.happening.channel ?? channelOf(plans, of);
  return { kind: 'happening', happening: { ...input.happening, about, ...(channel ? { channel } : {}) } };
}

/** The channel of a message step, for a happening about one that was never sent. */
function channelOf(plans: readonly JourneyPlan[], of: { step: string; journey?: string }): Channel | undefined {
  for (const plan of plans) {
    const step = of.journey === undefined || of.journey === plan.key ? plan.byKey.get(of.step)?.step : undefined;
    if (step && isMessage(step)) return step.kind;
  }
  return undefined;
}

/** The latest that was made from a step, of any journey or of one. */
function latest<T extends { step: string; journey: string }>(
  made: readonly T[],
  of: { step: string; journey?: string }
): T | undefined {
  for (let i = made.length - 1; i >= 0; i--) {
    const m = made[i];
    if (m?.step === of.step && (of.journey === undefined || m.journey === of.journey)) return m;
  }
  return undefined;
}
