/** One person's life in a replay: how it begins and goes on. */
import { Agenda, datedPlans, nextMidnight, type Course, type Position } from '../person/agenda.ts';
import { joinSilently } from '../person/joining.ts';
import type { Recorder, World } from '../person/world.ts';
import type { PersonState } from '../person/state.ts';
import { withSubject } from '../person/subject.ts';
import { beginDecay } from '../engagement/scores.ts';
import type { TimedInput } from './happenings.ts';

/** The course of a replay: everything is there beforehand, and nothing is ever late. */
export const courseOf = (world: World, from: number, until: number): Course => ({
  world,
  from,
  until,
  dated: datedPlans(world.plans, from),
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
  joinSilently(world, person, start, recorder);
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
  return new Agenda(course, person, position, inputs, recorder, ({ input, of }) =>
    withSubject(input, of, person, plans)
  );
}

const beginning = (world: World, start: number, from: number): Position => ({
  worked: start,
  midnight: world.workspace.daily ? nextMidnight(world.workspace.zone, start) : Infinity,
  existing: world.plans
    .filter((plan) => plan.entry.existing)
    .map((plan) => ({ plan, at: Math.max(from, plan.entry.opens) }))
});
