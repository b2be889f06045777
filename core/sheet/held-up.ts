/**
 * How much later than its moment on the ruler a step can come, because messages
 * before it are held for sending hours. The ruler counts waits; which hours
 * someone meets depends on when in the week they enter, so every quarter of an
 * hour of a week is walked through, all at once. Holidays, daylight saving and
 * limits are left out: they are no part of a week.
 */
import type { Journey } from '../journey/schema.ts';
import { isMessage, isWait, lanesOf, type Step, lastsOf } from '../steps/index.ts';
import { DAY, MINUTE, type Elapsed } from '../time/duration.ts';
import { openHours, type Hours } from '../time/hours.ts';

const SLOT = 15 * MINUTE;
const WEEK = 7 * DAY;
const SLOTS = WEEK / SLOT;

interface Course {
  /** ms from entry by waits alone: where the ruler puts people. */
  planned: number;
  /** By quarter of an hour of entry: ms that they have been held besides. */
  extra: Float64Array;
  /** The most of them. */
  late: number;
}

const course = (planned: number, extra: Float64Array): Course => {
  let late = 0;
  for (const ms of extra) if (ms > late) late = ms;
  return { planned, extra, late };
};

/** By quarter of an hour from Monday 00:00: how long a message that comes then is held, in ms. */
function holdsOf(hours: Hours): Float64Array {
  const { from, to, days } = openHours(hours);
  const windows: [number, number][] = [];
  // A window of the Sunday before may run into the week, and the next opening may be in the week after.
  for (let day = -1; day < 14; day++) {
    if (!days || days[(day + 7) % 7]) windows.push([day * DAY + from, day * DAY + to]);
  }
  return Float64Array.from({ length: SLOTS }, (_, i) => {
    const at = i * SLOT;
    const next = windows.find(([, closes]) => at < closes);
    return next ? Math.max(0, next[0] - at) : 0;
  });
}

/** Later by the most that something lasts. */
const delayed = (c: Course, lasts: Elapsed | null): Course => (lasts ? { ...c, planned: c.planned + lasts.max } : c);

/** Where lanes meet again: everyone's latest. */
function together(courses: Course[]): Course {
  const planned = Math.max(...courses.map((c) => c.planned));
  const extra = new Float64Array(SLOTS).fill(-Infinity);
  for (const c of courses)
    for (let i = 0; i < SLOTS; i++) extra[i] = Math.max(extra[i] ?? 0, c.planned + (c.extra[i] ?? 0) - planned);
  return course(planned, extra);
}

function held({ planned, extra }: Course, holds: Float64Array): Course {
  const more = new Float64Array(SLOTS);
  for (let entry = 0; entry < SLOTS; entry++) {
    const before = extra[entry] ?? 0;
    more[entry] = before + (holds[Math.floor((entry * SLOT + planned + before) / SLOT) % SLOTS] ?? 0);
  }
  return course(planned, more);
}

/** By key of a step: the most that hours can make it later than the ruler says, in ms; only those above 0. */
export function heldUp(journey: Pick<Journey, 'lane' | 'hours'>): Map<string, number> {
  const found = new Map<string, number>();
  const known = new Map<Hours, Float64Array>();
  const holdsFor = (hours: Hours): Float64Array => {
    let holds = known.get(hours);
    if (!holds) known.set(hours, (holds = holdsOf(hours)));
    return holds;
  };
  const visit = (steps: Step[], start: Course): Course =>
    steps.reduce((before, step) => {
      const hours = isMessage(step) ? (step.hours ?? journey.hours) : undefined;
      const here = hours && hours !== 'any' ? held(before, holdsFor(hours)) : before;
      if (here.late > 0 && !isWait(step)) found.set(step.key, here.late);
      const lanes = lanesOf(step);
      if (!lanes.length) return delayed(here, lastsOf(step));
      return together(lanes.map((lane) => visit(lane.steps, delayed(here, lane.after ?? null))));
    }, start);
  visit(journey.lane, course(0, new Float64Array(SLOTS)));
  return found;
}
