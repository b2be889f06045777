/** What changed between two editions of a journey, step by step, in words. */
import type { Journey } from '../journey/schema.ts';
import { eachStep } from '../journey/walk-document.ts';
import { isOff, kindOf, type Step } from '../steps/index.ts';

export interface Change {
  kind: 'added' | 'removed' | 'changed' | 'moved' | 'rule';
  /** Key of the step; `null` for the journey's own rules. */
  step: string | null;
  text: string;
  /** Key of a step that is gone. */
  was?: string;
}

const RULES: [keyof Journey, string][] = [
  ['name', 'its name'],
  ['purpose', 'its purpose'],
  ['entry', 'how people get in'],
  ['hours', 'the sending hours'],
  ['goal', 'the goal'],
  ['leaveWhen', 'the leave rules'],
  ['idle', 'the idle limit'],
  ['zone', 'the zone']
];

/** A step without what stands on its lanes: those are steps of their own. */
function own(step: Step): string {
  return JSON.stringify(step, (key, value: unknown) => (key === 'lane' ? undefined : value));
}

export function changesBetween(before: Journey, after: Journey): Change[] {
  const changes: Change[] = [];
  for (const [key, words] of RULES) {
    if (JSON.stringify(before[key]) !== JSON.stringify(after[key]))
      changes.push({ kind: 'rule', step: null, text: `Changed: ${words}.` });
  }
  const old = new Map(eachStep(before).map((s) => [s.step.key, s]));
  const now = new Map(eachStep(after).map((s) => [s.step.key, s]));
  const title = (step: Step): string => `${step.kind} “${kindOf(step).card(step).title}”`;
  for (const [key, placed] of now) {
    const was = old.get(key);
    if (!was) changes.push({ kind: 'added', step: key, text: `Added: ${title(placed.step)}.` });
    else if (own(was.step) !== own(placed.step))
      changes.push({
        kind: 'changed',
        step: key,
        text: `Changed: ${title(placed.step)}${differing(was.step, placed.step)}.`
      });
    else if (was.path.slice(0, -1).join('.') !== placed.path.slice(0, -1).join('.'))
      changes.push({ kind: 'moved', step: key, text: `Moved to another lane: ${title(placed.step)}.` });
  }
  for (const [key, placed] of old) {
    if (!now.has(key)) changes.push({ kind: 'removed', step: null, was: key, text: `Removed: ${title(placed.step)}.` });
  }
  const order = (steps: Iterable<string>): string => [...steps].filter((k) => old.has(k) && now.has(k)).join(' ');
  if (order(old.keys()) !== order(now.keys()) && !changes.some((c) => c.kind === 'moved')) {
    changes.push({ kind: 'moved', step: null, text: 'Changed: the order of steps.' });
  }
  return changes;
}

function differing(a: Step, b: Step): string {
  const keys = [...new Set([...Object.keys(a), ...Object.keys(b)])].filter((k) => k !== 'lanes' && k !== 'otherwise');
  const changed = keys.filter((k) => JSON.stringify(Reflect.get(a, k)) !== JSON.stringify(Reflect.get(b, k)));
  const words = changed.map((k) => (k === 'off' ? (isOff(b) ? 'turned off' : 'turned on again') : k));
  return changed.length ? ` (${words.join(', ')})` : ' (its lanes)';
}
