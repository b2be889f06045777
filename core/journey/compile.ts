/**
 * Compiles a journey into a plan: lanes become one flat list of instructions,
 * each knowing where the walk goes next. Nesting is structural, so a lane that
 * runs out goes on after the step that opened it, and no wiring is needed.
 */
import { compileCondition, eachCondition, type Test } from '../condition/evaluate.ts';
import { isHappening, type Channel, type Condition, type HappeningOrCondition } from '../condition/schema.ts';
import { kindOf, type Step } from '../steps/index.ts';
import { duration, type Duration } from '../time/duration.ts';
import type { Journey } from './schema.ts';

/** Index of the end of the main lane. */
export const END = -1;

export interface Instruction {
  index: number;
  step: Step;
  /** Where the walk goes after this step; {@link END} is the end of the main lane. */
  next: number;
  /** First instruction of each lane it opens, in order; an empty lane leads to `next`. */
  lanes: number[];
  /** The lanes' conditions, compiled; a lane without one has none. */
  tests: Test[];
}

/** A goal or leave rule, ready to be asked. */
export interface Rule {
  rule: HappeningOrCondition;
  /** Absent for a happening: that is matched, not asked. */
  test: Test | null;
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
  entryWhere: Test | null;
  goal: (Rule & { leave: boolean; within: Duration | null }) | null;
  leaveWhen: (Rule & { reason: string })[];
  /** Whether any condition asks what the person did with a message. */
  readsReactions: boolean;
  /** Per instruction: what a walk that stands there can still meet, by structure. */
  ahead: (index: number) => Ahead;
}

/** What is still reachable from a step, itself included. */
export interface Ahead {
  sends: Set<Channel>;
  /** Names of happenings that a branch ahead asks about. */
  names: Set<string>;
}

/** Every condition a journey asks, with those inside them. */
function conditionsOf(document: Journey, instructions: Instruction[]): Condition[] {
  const rules = [document.goal?.when, ...(document.leaveWhen ?? []).map((r) => r.when)];
  const asked = rules.filter((r): r is Condition => r !== undefined && !isHappening(r));
  if (document.entry?.where) asked.push(document.entry.where);
  for (const { step } of instructions)
    for (const lane of kindOf(step).lanes(step)) if (lane.when) asked.push(lane.when);
  return asked.flatMap(eachCondition);
}

/** A rule as the person runner asks it. */
function compileRule(rule: HappeningOrCondition): Rule {
  return { rule, test: isHappening(rule) ? null : compileCondition(rule) };
}

/** Compiles a journey that the schema has accepted. Pure; the plan can be shared and kept. */
export function compile(document: Journey, version = 0): Plan {
  const instructions: Instruction[] = [];
  const byKey = new Map<string, Instruction>();

  // Lanes are laid out from their end, so that every step knows its successor when it is made.
  const place = (steps: Step[], after: number): number => {
    let next = after;
    for (const step of [...steps].reverse()) {
      const lanes = kindOf(step).lanes(step);
      const entries = lanes.map((lane) => place(lane.steps, next));
      const index = instructions.length;
      const tests = lanes.flatMap((lane) => (lane.when ? [compileCondition(lane.when)] : []));
      const instruction = { index, step, next, lanes: entries, tests };
      instructions.push(instruction);
      byKey.set(step.key, instruction);
      next = index;
    }
    return next;
  };
  const first = place(document.lane, END);

  const known = new Map<number, Ahead>();
  const goal = document.goal;
  return {
    key: document.key,
    version,
    document,
    instructions,
    first,
    byKey,
    entryWhere: document.entry?.where ? compileCondition(document.entry.where) : null,
    goal: goal
      ? { ...compileRule(goal.when), leave: goal.leave ?? true, within: goal.within ? duration(goal.within) : null }
      : null,
    leaveWhen: (document.leaveWhen ?? []).map((r) => ({ ...compileRule(r.when), reason: r.reason })),
    readsReactions: conditionsOf(document, instructions).some((c) => 'did' in c),
    ahead: (index) => {
      let found = known.get(index);
      if (!found) known.set(index, (found = lookAhead(instructions, index)));
      return found;
    }
  };
}

function lookAhead(instructions: Instruction[], from: number): Ahead {
  const ahead: Ahead = { sends: new Set(), names: new Set() };
  const seen = new Set<number>();
  const visit = (index: number): void => {
    const here = instructions[index];
    if (!here || seen.has(index)) return;
    seen.add(index);
    if (here.step.kind === 'email' || here.step.kind === 'sms') ahead.sends.add(here.step.kind);
    for (const lane of kindOf(here.step).lanes(here.step)) {
      if (lane.when) for (const name of namesIn(lane.when)) ahead.names.add(name);
    }
    for (const lane of here.lanes) visit(lane);
    visit(here.next);
  };
  visit(from);
  return ahead;
}

/** The happenings that a condition asks about. */
function namesIn(condition: Condition): string[] {
  return eachCondition(condition).flatMap((c) => ('did' in c ? [c.did] : []));
}
