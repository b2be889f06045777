/**
 * Compiles a journey into a plan: lanes become one flat list of instructions,
 * each knowing where the walk goes next. Nesting is structural, so a lane that
 * runs out goes on after the step that opened it, and no wiring is needed.
 */
import { compileCondition } from '../condition/evaluate.ts';
import { compileFilter } from '../condition/happening.ts';
import { isHappening, type Reason } from '../condition/schema.ts';
import { kindOf, lanesOf, type Step } from '../steps/index.ts';
import { duration, parseOffset } from '../time/duration.ts';
import { parseInstant } from '../time/instant.ts';
import { timeOfDay, WEEKDAYS } from '../time/hours.ts';
import { END, type Ahead, type Instruction, type Plan, type PlanEntry, type PlanRule } from '../walk/plan.ts';
import { lookAhead } from './ahead.ts';
import { factsOf } from './facts.ts';
import type { Entry, Journey } from './schema.ts';
import { wakesOf } from './wakes.ts';
import { eachStep } from './walk-document.ts';

/** A plan of the steps there are. */
export type JourneyPlan = Plan<Step, Journey>;
export type JourneyInstruction = Instruction<Step>;

/** A rule as the person runner asks it. */
function compileRule(reason: Reason, own: string): PlanRule {
  if (!Array.isArray(reason) && !isHappening(reason)) return { test: compileCondition(reason, own), match: null };
  const matchers = [reason].flat().map((filter) => compileFilter(filter, own));
  return { test: null, match: (h, walk, zone) => matchers.some((match) => match(h, walk, zone)) };
}

function compileEntry(entry: Entry | undefined, own: string): PlanEntry {
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
export function compile(document: Journey, version = 0): JourneyPlan {
  const own = document.key;
  const instructions: Instruction<Step>[] = [];
  const byKey = new Map<string, Instruction<Step>>();
  const places = new Map(eachStep(document).map(({ step }, place) => [step, place]));

  // Lanes are laid out from their end, so that every step knows its successor when it is made.
  const lay = (steps: Step[], after: number): number => {
    let next = after;
    let sibling: number | null = null;
    for (const step of [...steps].reverse()) {
      const kind = kindOf(step);
      const lanes = lanesOf(step);
      const spans: [number, number][] = [];
      const entries = lanes.map((lane) => {
        const from = instructions.length;
        const first = lay(lane.steps, next);
        spans.push([from, instructions.length]);
        return first;
      });
      const instruction: Instruction<Step> = {
        index: instructions.length,
        step,
        place: places.get(step) ?? 0,
        next,
        sibling,
        lanes: entries,
        spans,
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
    loops: instructions.flatMap(({ step }) => {
      const target = kindOf(step).backTo?.(step);
      return target === undefined ? [] : [{ key: step.key, target: byKey.get(target)?.place ?? 0 }];
    }),
    facts: factsOf(document),
    wakes: wakesOf(document),
    keepsEntry: keepsEntry(document),
    asksSinceEntry: JSON.stringify(document).includes('"since":"entry"'),
    ahead: (index) => {
      let found = known.get(index);
      if (!found) known.set(index, (found = lookAhead(instructions, byKey, index)));
      return found;
    }
  };
}

/** Whether anything of a journey asks what began the walk, fills it into a message, or hands it on. */
function keepsEntry(document: Journey): boolean {
  const steps = eachStep(document);
  return (
    /"same"|"came"|\bentry\./.test(JSON.stringify(document)) || steps.some(({ step }) => kindOf(step).handsOnEntry)
  );
}
