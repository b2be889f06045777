/** What is still reachable from a step, by structure. Rules: docs/journey-language.md, "Order of things", 5. */
import { eachCondition } from '../condition/evaluate.ts';
import { isHappening, type HappeningOrCondition } from '../condition/schema.ts';
import { isMessage, isOff, kindOf, type Step } from '../steps/index.ts';
import { END, type Ahead, type Instruction } from '../walk/plan.ts';

/** Looks from an instruction onwards, itself included. */
export function lookAhead(
  instructions: Instruction<Step>[],
  byKey: Map<string, Instruction<Step>>,
  from: number
): Ahead {
  const ahead: Ahead = { sends: new Set(), service: false, other: false, names: new Set() };
  const seen = new Set<number>();
  const waiting = [from];
  for (let index = waiting.pop(); index !== undefined; index = waiting.pop()) {
    const here = instructions[index];
    if (!here || seen.has(index)) continue;
    seen.add(index);
    const { step } = here;
    const kind = kindOf(step);
    const reaches = isOff(step) ? null : kind.reaches;
    if (reaches === 'other') ahead.other = true;
    else if (reaches) ahead.sends.add(reaches);
    if (reaches && isMessage(step)) ahead.service ||= step.service ?? false;
    for (const lane of kind.lanes(step)) {
      if (lane.when) for (const name of namesIn(lane.when)) ahead.names.add(name);
    }
    if (kind.backTo) waiting.push(byKey.get(kind.backTo(step))?.index ?? END);
    if (kind.ends) continue;
    waiting.push(...here.lanes, here.next);
  }
  return ahead;
}

/** The happenings that a lane asks about. */
function namesIn(rule: HappeningOrCondition): string[] {
  if (isHappening(rule)) return [rule.happening];
  return eachCondition(rule).flatMap((c) => ('did' in c ? [c.did] : []));
}
