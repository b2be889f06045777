/** What is still reachable from a step, by structure. Rules: docs/journey-language.md, "Order of things", 5. */
import { eachCondition } from '../condition/evaluate.ts';
import type { Channel } from '../condition/happening.ts';
import { isHappening, type HappeningOrCondition } from '../condition/schema.ts';
import { isMessage, kindOf } from '../steps/index.ts';
import type { Instruction } from './compile.ts';

export interface Ahead {
  sends: Set<Channel>;
  /** A message that needs no consent. */
  service: boolean;
  /** A task, a notice, a call or a hand-over: something that is no message. */
  other: boolean;
  /** Names of happenings that a listen or branch asks about. */
  names: Set<string>;
}

/** Looks from an instruction onwards, itself included. */
export function lookAhead(instructions: Instruction[], byKey: Map<string, Instruction>, from: number): Ahead {
  const ahead: Ahead = { sends: new Set(), service: false, other: false, names: new Set() };
  const seen = new Set<number>();
  const waiting = [from];
  for (let index = waiting.pop(); index !== undefined; index = waiting.pop()) {
    const here = instructions[index];
    if (!here || seen.has(index)) continue;
    seen.add(index);
    const { step } = here;
    const kind = kindOf(step);
    if (kind.reaches === 'other') ahead.other = true;
    else if (kind.reaches) ahead.sends.add(kind.reaches);
    if (isMessage(step)) ahead.service ||= step.service ?? false;
    for (const lane of kind.lanes(step)) {
      if (lane.when) for (const name of namesIn(lane.when)) ahead.names.add(name);
    }
    if (step.kind === 'loop') waiting.push(byKey.get(step.to)?.index ?? -1);
    if (step.kind === 'leave') continue;
    waiting.push(...here.lanes, here.next);
  }
  return ahead;
}

/** The happenings that a lane asks about. */
function namesIn(rule: HappeningOrCondition): string[] {
  if (isHappening(rule)) return [rule.happening];
  return eachCondition(rule).flatMap((c) => ('did' in c ? [c.did] : []));
}
