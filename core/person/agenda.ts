/**
 * The order of things for one person: what is due next, and working it off, one
 * instant after another. It stands here once: the replay, the live engine and
 * what is foreseen differ only in where the work comes from and who hears of it.
 * Rules: docs/journey-language.md, "Order of things", 1; docs/decisions/0003.
 */
import type { JourneyPlan } from '../journey/compile.ts';
import { fromWall, wallDay } from '../time/civil.ts';
import { DAY, MINUTE } from '../time/duration.ts';
import { instantText } from '../time/instant.ts';
import { isDated, nextDated, type DatedWay } from './dated.ts';
import { nextClock, nextTimer } from './due.ts';
import { PersonRun } from './run.ts';
import type { PersonState } from './state.ts';
import type { Input, Recorder, World } from './world.ts';

/** A plan that lets people in by itself, and from when on, UTC ms: what passed before is past. */
export interface DatedPlan {
  plan: JourneyPlan;
  since: number;
}

/** What is the same for everyone who is worked on. */
export interface Course {
  world: World;
  /** When journeys go live, UTC ms: before it, happenings change facts and are recorded, but begin and move nothing. */
  from: number;
  /** Nothing later is worked off. Included, UTC ms. */
  until: number;
  /** Plans that let people in by themselves. */
  dated: DatedPlan[];
  /** The present, where time passes by itself, UTC ms; `null` in a replay, where nothing is ever late. */
  present: number | null;
}

/** Where a person stands in the order of things, beside their state. */
export interface Position {
  /** The instant of the last work done, UTC ms. Nothing is done before it any more. */
  worked: number;
  /** The next midnight at which segments are looked at, UTC ms; Infinity where none are. */
  midnight: number;
  /** Plans that take existing people in, each with its instant, still to come. */
  existing: readonly { plan: JourneyPlan; at: number }[];
}

/** Something that waits for its turn; those of one person in order of their arrival. */
export interface Item {
  /** UTC ms. */
  at: number;
  input: Input;
}

/**
 * A timer that is found later than this was not merely waiting for a busy worker: nobody worked. It is due at the
 * present then, behind all that has happened meanwhile.
 */
export const LATE = 15 * MINUTE;

/** An instant that comes up more often than this without anything else does so by a fault of ours, and for ever. */
const MOST_AGAIN = 100_000;

const WAYS: DatedWay[] = ['date', 'timetable'];

/** Of some plans, those that let people in by themselves; each from the same instant on. */
export const datedPlans = (plans: readonly JourneyPlan[], since: number): DatedPlan[] =>
  plans.filter(isDated).map((plan) => ({ plan, since }));

export class Agenda<T extends Item> {
  private readonly run: PersonRun;
  private place = 0;
  private worked: number;
  private midnight: number;
  private existing: Position['existing'];
  /** How often the same instant has come up in a row. */
  private again = 0;

  /**
   * `inbox` holds what has come in, in order of its instants; `take` gives an item's input when its turn has come, at
   * the instant it is worked at.
   */
  constructor(
    private readonly course: Course,
    readonly person: PersonState,
    { worked, midnight, existing }: Position,
    private readonly inbox: readonly T[],
    recorder: Recorder,
    private readonly take: (item: T, at: number) => Input = (item) => item.input
  ) {
    this.run = new PersonRun(course.world, person, worked, recorder, false);
    this.worked = worked;
    this.midnight = midnight;
    this.existing = existing;
  }

  /** Where the person stands now: what has to be kept beside their state. */
  position(): Position {
    const { worked, midnight, existing } = this;
    return { worked, midnight, existing };
  }

  /** The next instant at which there is something to do, UTC ms; Infinity for never within the course. */
  next(): number {
    const next = Math.min(this.inbox[this.place]?.at ?? Infinity, this.nextByClock());
    // What a change of zone, an outage or a late arrival has put into the past is done now.
    const at = Math.max(next, this.worked);
    return at > this.course.until ? Infinity : at;
  }

  /** The next instant at which the clock alone gives something to do, UTC ms, whatever the course; Infinity for never. */
  nextByClock(): number {
    const { world, dated } = this.course;
    let next = Math.min(this.nextTimer(), nextClock(world, this.person) ?? Infinity, this.midnight);
    for (const { at } of this.existing) next = Math.min(next, at);
    for (const { plan, since } of dated) {
      const after = Math.max(this.worked, since);
      for (const way of WAYS) {
        next = Math.min(next, nextDated(plan, way, this.person, world.workspace, after) ?? Infinity);
      }
    }
    return next;
  }

  /** Works off all that is due within the course. */
  workOff(): void {
    for (let at = this.next(); at !== Infinity; at = this.next()) this.work(at);
  }

  /** Works off what is due at an instant: the clock, existing people, what came in, dates and timetables, timers. */
  work(at: number): void {
    const { world, from } = this.course;
    const { person } = this;
    this.again = at === this.worked ? this.again + 1 : 0;
    if (this.again > MOST_AGAIN) throw new Error(`no progress at ${instantText(at)} with ${person.id}`);
    this.worked = at;
    const live = at >= from;
    const midnight = this.midnight <= at;
    if (midnight) this.midnight = nextMidnight(world.workspace.zone, at);
    if (midnight || (nextClock(world, person) ?? Infinity) <= at) this.run.moveTo(at, live).clock(midnight);
    if (this.existing.length) {
      const due = this.existing.filter((e) => e.at <= at);
      if (due.length) this.existing = this.existing.filter((e) => e.at > at);
      for (const { plan } of due) this.run.moveTo(at, live).input({ kind: 'existing', journey: plan.key });
    }
    for (let item = this.inbox[this.place]; item && item.at <= at; item = this.inbox[this.place]) {
      this.place++;
      this.run.moveTo(at, live).input(this.take(item, at));
    }
    if (live) {
      for (const { plan, since } of this.course.dated) {
        for (const way of WAYS) {
          if (at >= since && nextDated(plan, way, person, world.workspace, at) === at)
            this.run.moveTo(at, live).dated(plan, way);
        }
      }
    }
    if (this.nextTimer() <= at) this.run.moveTo(at, live).timers();
  }

  /** The instant at which the next timer is worked off: its own, or the present where it is late. */
  private nextTimer(): number {
    const planned = nextTimer(this.course.world, this.person) ?? Infinity;
    const { present } = this.course;
    return present !== null && present - planned > LATE ? present : planned;
  }
}

/** The first midnight after an instant in a zone, UTC ms. */
export function nextMidnight(zone: string, after: number): number {
  let day = wallDay(zone, after);
  for (;;) {
    day += DAY;
    const at = fromWall(zone, day);
    if (at > after) return at;
  }
}
