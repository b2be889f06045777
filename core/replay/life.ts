/**
 * One person's life in a replay: what is due next, and working it off in the
 * order of things at one instant. Rules: docs/journey-language.md, "Order of things", 1.
 */
import type { Channel } from '../condition/happening.ts';
import type { Plan } from '../journey/compile.ts';
import { isDated, nextDated, type DatedWay } from '../person/dated.ts';
import { Keeper } from '../person/keeper.ts';
import { nextClock, nextDue } from '../person/due.ts';
import { PersonRun } from '../person/run.ts';
import type { Recorder, World } from '../person/world.ts';
import type { PersonState } from '../person/state.ts';
import { isMessage } from '../steps/index.ts';
import { beginDecay } from '../settings/scores.ts';
import { fromWall, wallDay } from '../time/civil.ts';
import { DAY } from '../time/duration.ts';
import { instantText } from '../time/instant.ts';
import type { TimedInput } from './happenings.ts';

/** When and how a replay runs, the same for everyone. */
export interface Course {
  world: World;
  /** The first instant of all, UTC ms: decay and segments are counted from here. */
  start: number;
  /** When the journeys go live, UTC ms. */
  from: number;
  /** Included, UTC ms. */
  until: number;
  /** Plans that take existing people in, each with its instant. */
  existing: { plan: Plan; at: number }[];
  /** Plans that let people in by themselves. */
  dated: Plan[];
}

/** An instant that comes up more often than this without anything else does so by a fault of ours, and for ever. */
const MOST_AGAIN = 100_000;

const WAYS: DatedWay[] = ['date', 'timetable'];

export function courseOf(world: World, start: number, from: number, until: number): Course {
  return {
    world,
    start,
    from,
    until,
    existing: world.plans
      .filter((plan) => plan.entry.existing)
      .map((plan) => ({ plan, at: Math.max(from, plan.entry.opens) })),
    dated: world.plans.filter(isDated)
  };
}

export class Life {
  private readonly run: PersonRun;
  private place = 0;
  /** Plans whose existing people are still to be taken in. */
  private existing: Course['existing'];
  private now: number;
  /** How often the same instant has come up in a row. */
  private again = 0;
  private midnight: number;

  constructor(
    private course: Course,
    readonly person: PersonState,
    private inputs: readonly TimedInput[],
    recorder: Recorder
  ) {
    const { world, start } = course;
    this.run = new PersonRun(world, person, start, recorder, false);
    this.existing = course.existing;
    this.now = start;
    this.midnight = world.workspace.daily ? nextMidnight(world.workspace.zone, start) : Infinity;
    beginDecay(world.workspace, person, start);
    // What holds at the start is joined silently.
    new Keeper(world, person, start, recorder, () => undefined).lookAtSegments();
  }

  /** Lives on, further than was asked before, with what happens then. */
  continue(course: Course, inputs: readonly TimedInput[]): void {
    this.course = course;
    this.inputs = inputs;
    this.place = 0;
  }

  /** The next instant at which there is something to do, UTC ms; Infinity for never within the replay. */
  next(): number {
    const { world, until, from, dated } = this.course;
    let next = Math.min(
      this.inputs[this.place]?.at ?? Infinity,
      nextDue(this.person) ?? Infinity,
      nextClock(world, this.person) ?? Infinity,
      this.midnight
    );
    for (const { at } of this.existing) next = Math.min(next, at);
    for (const plan of dated) {
      for (const way of WAYS) {
        next = Math.min(next, nextDated(plan, way, this.person, world.workspace, Math.max(this.now, from)) ?? Infinity);
      }
    }
    // What a change of zone has put into the past is due now.
    next = Math.max(next, this.now);
    return next > until ? Infinity : next;
  }

  /** Works off all that is due at an instant: the clock, existing people, happenings, dates and timetables, timers. */
  work(at: number): void {
    const { world, from } = this.course;
    const { person } = this;
    this.again = at === this.now ? this.again + 1 : 0;
    if (this.again > MOST_AGAIN) throw new Error(`no progress at ${instantText(at)} with ${person.id}`);
    this.now = at;
    const live = at >= from;
    const midnight = this.midnight <= at;
    if (midnight) this.midnight = nextMidnight(world.workspace.zone, at);
    if (midnight || (nextClock(world, person) ?? Infinity) <= at) this.run.moveTo(at, live).clock(midnight);
    if (this.existing.length) {
      const due = this.existing.filter((e) => e.at <= at);
      if (due.length) this.existing = this.existing.filter((e) => e.at > at);
      for (const { plan } of due) this.run.moveTo(at, live).input({ kind: 'existing', journey: plan.key });
    }
    for (let next = this.inputs[this.place]; next && next.at <= at; next = this.inputs[this.place]) {
      this.place++;
      this.run.moveTo(at, live).input(withSubject(next, person, world.plans));
    }
    if (at >= from) {
      for (const plan of this.course.dated) {
        for (const way of WAYS) {
          if (nextDated(plan, way, person, world.workspace, at) === at) this.run.moveTo(at, live).dated(plan, way);
        }
      }
    }
    if ((nextDue(person) ?? Infinity) <= at) this.run.moveTo(at, live).timers();
  }
}

/** The first midnight after an instant in a zone, UTC ms. */
function nextMidnight(zone: string, after: number): number {
  let day = wallDay(zone, after);
  for (;;) {
    day += DAY;
    const at = fromWall(zone, day);
    if (at > after) return at;
  }
}

/** The happening with the message or task it names by its step: the latest one made from it, or none of all. */
function withSubject(timed: TimedInput, person: PersonState, plans: readonly Plan[]): TimedInput['input'] {
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
function channelOf(plans: readonly Plan[], of: { step: string; journey?: string }): Channel | undefined {
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
