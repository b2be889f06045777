/** A branch that asks what people did with a message at the very instant it went out: everyone goes down "no". */
import { eachCondition } from '../condition/evaluate.ts';
import { isHappening } from '../condition/schema.ts';
import { compile, type JourneyPlan } from '../journey/compile.ts';
import type { PlacedStep } from '../journey/walk-document.ts';
import { isOff, kindOf, lanesOf, lastsOf } from '../steps/index.ts';
import type { Edit } from '../edit/edit.ts';
import type { Check, Finding } from './finding.ts';
import { about } from './finding.ts';

const waitBefore = ({ path }: PlacedStep): Edit => ({
  edit: 'wait',
  lane: path.slice(0, -1),
  index: Number(path.at(-1)),
  for: 'P2D'
});

/**
 * How people come from one step to another: not at all, at once on some way (nothing there on which they stand still; the
 * step itself counts, so an awaited task does), or only after a while.
 */
function wayBetween(plan: JourneyPlan, from: string, to: string): 'none' | 'at-once' | 'later' {
  const target = plan.byKey.get(to)?.index;
  const reached = (through: (index: number) => boolean): boolean => {
    const seen = new Set<number>();
    const waiting = [plan.byKey.get(from)?.index];
    for (let index = waiting.pop(); index !== undefined; index = waiting.pop()) {
      const here = plan.instructions[index];
      if (!here || seen.has(index) || !through(index)) continue;
      seen.add(index);
      const kind = kindOf(here.step);
      const back = kind.backTo?.(here.step);
      const onward = [...here.lanes, ...(kind.ends ? [] : [here.next])];
      if (back !== undefined) onward.push(plan.byKey.get(back)?.index ?? -1);
      if (target !== undefined && onward.includes(target)) return true;
      waiting.push(...onward);
    }
    return false;
  };
  if (!reached(() => true)) return 'none';
  const goesOn = (index: number): boolean => {
    const step = plan.instructions[index]?.step;
    return step !== undefined && lastsOf(step) === null;
  };
  return reached(goesOn) ? 'at-once' : 'later';
}

export const askedTooSoon: Check = (journey, steps) => {
  let plan: JourneyPlan | null = null;
  return steps.flatMap((s): Finding[] => {
    const asked = lanesOf(s.step)
      .flatMap((lane) => (lane.when && !isHappening(lane.when) ? eachCondition(lane.when) : []))
      .flatMap((c) => ('did' in c && c.did !== 'sent' && c.of !== undefined && c.journey === undefined ? [c.of] : []));
    return [...new Set(asked)].flatMap((of): Finding[] => {
      const message = steps.find((other) => other.step.key === of)?.step;
      if (!message) return [];
      const never = (text: string): Finding[] => [
        about(s, {
          severity: 'remark',
          check: 'asked-elsewhere',
          text: `${text}, so the answer is always no.`,
          hint: 'Ask about a message that stands before this step.'
        })
      ];
      if (isOff(message)) return never('This branch asks about a step that is off');
      const way = wayBetween((plan ??= compile(journey)), of, s.step.key);
      if (way === 'none') return never('This branch asks about a message that nobody has had when they get here');
      if (way === 'later') return [];
      return [
        about(s, {
          severity: 'remark',
          check: 'asked-too-soon',
          text: 'This branch asks the second after the message goes out, so almost everyone takes the last lane.',
          hint: 'Give people time before you ask.',
          fix: { label: 'Wait 2 days first', edit: waitBefore(s) }
        })
      ];
    });
  });
};
