/**
 * Compiles a journey into a plan: lanes become one flat list of instructions,
 * each knowing where the walk goes next. Nesting is structural, so a lane that
 * runs out goes on after the step that opened it, and no wiring is needed.
 */
import { compileCondition, type Test } from '../condition/evaluate.ts';
import { compileFilter, type Matcher } from '../condition/happening.ts';
import { isHappening, type HappeningOrCondition } from '../condition/schema.ts';
import { isMessage, kindOf, type Step } from '../steps/index.ts';
import { duration, parseOffset, type Duration } from '../time/duration.ts';
import { parseInstant } from '../time/instant.ts';
import { timeOfDay, WEEKDAYS } from '../time/hours.ts';
import { lookAhead, type Ahead } from './ahead.ts';
import { factsOf, type Facts } from './facts.ts';
import type { AGAIN, Entry, Journey } from './schema.ts';
import { eachStep } from './walk-document.ts';

/** Index of the end of the main lane. */
export const END = -1;

export interface Instruction {
  index: number;
  step: Step;
  /** Place in order of the document. */
  place: number;
  /** Where the walk goes after this step; {@link END} is the end of the main lane. */
  next: number;
  /** The step behind it on its own lane; `null` for the last. */
  sibling: number | null;
  /** First instruction of each lane it opens, in order; an empty lane leads to `next`. */
  lanes: number[];
  /** Labels of those lanes. */
  labels: string[];
  /** What the step's kind worked out once for all walks. */
  prepared: unknown;
}

/** A goal or leave rule, ready to be asked: either a condition or a happening. */
export interface Rule {
  test: Test | null;
  match: Matcher | null;
}

/** A date that lets people in, ready to be asked. Times are ms after midnight. */
export interface DatedEntry {
  field: string | null;
  /** A fixed date, as it is written. */
  on: string | null;
  offset: Duration | null;
  time: number | null;
  yearly: boolean;
}

export interface TimetableEntry {
  days: boolean[] | null;
  monthDay: number | null;
  time: number;
  /** `null`: the person's. */
  zone: string | null;
}

export interface CompiledEntry {
  on: { name: string; match: Matcher }[];
  where: Test | null;
  /** UTC ms before which nobody enters. */
  opens: number;
  again: (typeof AGAIN)[number];
  /** Share of entrants held out, from 0 to 1. */
  holdOut: number;
  existing: { tags: string[]; lists: string[]; segments: string[] } | null;
  date: DatedEntry | null;
  timetable: TimetableEntry | null;
}

export interface Plan {
  key: string;
  /** The edition; 0 for a draft or a replay. */
  version: number;
  document: Journey;
  instructions: Instruction[];
  /** Index of the first instruction; {@link END} where the main lane is empty. */
  first: number;
  byKey: Map<string, Instruction>;
  entry: CompiledEntry;
  goal: (Rule & { leave: boolean; within: Duration | null }) | null;
  leaveWhen: (Rule & { reason: string })[];
  idle: Duration | null;
  /** Every loop with the place of the step it goes back to. */
  loops: { key: string; target: number }[];
  facts: Facts;
  /** Whether walks have to remember what began them. */
  keepsEntry: boolean;
  /** Per instruction: what a walk that stands there can still meet, by structure. */
  ahead: (index: number) => Ahead;
}

/** A rule as the person runner asks it. */
function compileRule(rule: HappeningOrCondition, own: string): Rule {
  return isHappening(rule)
    ? { test: null, match: compileFilter(rule, own) }
    : { test: compileCondition(rule, own), match: null };
}

function compileEntry(entry: Entry | undefined, own: string): CompiledEntry {
  const on = entry?.on ?? [];
  const date = entry?.date;
  const timetable = entry?.timetable;
  const yearly = date !== undefined && 'field' in date && (date.yearly ?? false);
  const names = (key: 'tag' | 'list' | 'segment'): string[] =>
    on.flatMap((r) => (/_(added|joined)$/.test(r.happening) && r[key] !== undefined ? [r[key]] : []));
  return {
    on: on.map((rule) => ({ name: rule.happening, match: compileFilter(rule, own) })),
    where: entry?.where ? compileCondition(entry.where, own) : null,
    opens: entry?.opens === undefined ? -Infinity : (parseInstant(entry.opens) ?? -Infinity),
    again: entry?.again ?? (yearly || timetable ? 'again' : 'once'),
    holdOut: (entry?.holdOut ?? 0) / 100,
    existing: entry?.existing ? { tags: names('tag'), lists: names('list'), segments: names('segment') } : null,
    date: date
      ? {
          field: 'field' in date ? date.field : null,
          on: 'on' in date ? date.on : null,
          offset: 'field' in date && date.offset !== undefined ? parseOffset(date.offset) : null,
          time: date.time === undefined ? null : timeOfDay(date.time),
          yearly
        }
      : null,
    timetable: timetable
      ? {
          days: 'weekdays' in timetable ? WEEKDAYS.map((d) => timetable.weekdays.includes(d)) : null,
          monthDay: 'monthDay' in timetable ? timetable.monthDay : null,
          time: timeOfDay(timetable.time),
          zone: timetable.zone === undefined || timetable.zone === 'person' ? null : timetable.zone
        }
      : null
  };
}

/** Compiles a journey that the schema has accepted. Pure; the plan can be shared and kept. */
export function compile(document: Journey, version = 0): Plan {
  const own = document.key;
  const instructions: Instruction[] = [];
  const byKey = new Map<string, Instruction>();
  const places = new Map(eachStep(document).map(({ step }, place) => [step, place]));

  // Lanes are laid out from their end, so that every step knows its successor when it is made.
  const lay = (steps: Step[], after: number): number => {
    let next = after;
    let sibling: number | null = null;
    for (const step of [...steps].reverse()) {
      const kind = kindOf(step);
      const lanes = kind.lanes(step);
      const entries = lanes.map((lane) => lay(lane.steps, next));
      const instruction: Instruction = {
        index: instructions.length,
        step,
        place: places.get(step) ?? 0,
        next,
        sibling,
        lanes: entries,
        labels: lanes.map((lane) => lane.label),
        prepared: kind.prepare?.(step, own) ?? null
      };
      instructions.push(instruction);
      byKey.set(step.key, instruction);
      next = sibling = instruction.index;
    }
    return next;
  };
  const first = lay(document.lane, END);

  const known = new Map<number, Ahead>();
  const { goal } = document;
  return {
    key: own,
    version,
    document,
    instructions,
    first,
    byKey,
    entry: compileEntry(document.entry, own),
    goal: goal
      ? {
          ...compileRule(goal.when, own),
          leave: goal.leave ?? true,
          within: goal.within ? duration(goal.within) : null
        }
      : null,
    leaveWhen: (document.leaveWhen ?? []).map((r) => ({ ...compileRule(r.when, own), reason: r.reason })),
    idle: document.idle ? duration(document.idle) : null,
    loops: instructions.flatMap(({ step }) =>
      step.kind === 'loop' ? [{ key: step.key, target: byKey.get(step.to)?.place ?? 0 }] : []
    ),
    facts: factsOf(document),
    keepsEntry: keepsEntry(document),
    ahead: (index) => {
      let found = known.get(index);
      if (!found) known.set(index, (found = lookAhead(instructions, byKey, index)));
      return found;
    }
  };
}

/** Whether anything of a journey asks what began the walk, fills it into a message, or hands it on. */
function keepsEntry(document: Journey): boolean {
  return /"same"|"came"/.test(JSON.stringify(document)) || eachStep(document).some(({ step }) => asksEntry(step));
}

const asksEntry = (step: Step): boolean =>
  step.kind === 'handover' || (isMessage(step) && /\bentry\./.test(JSON.stringify(step)));
