/**
 * What the live engine and the sheet take today: part of the language. The core
 * computes all of it; what is beyond is refused with its path, never ignored.
 */
import type { Filters } from '../condition/happening.ts';
import { MESSAGE_HAPPENINGS } from '../condition/happening.ts';
import { isHappening, type Condition, type HappeningOrCondition } from '../condition/schema.ts';
import type { Path, Problem } from '../journey/problems.ts';
import type { Journey } from '../journey/schema.ts';
import { eachStep } from '../journey/walk-document.ts';
import { lanesOf, type StepName } from '../steps/index.ts';

const COMMON = ['key', 'kind', 'name', 'aim', 'note'];
/** Kinds of step that can be put on the sheet and go live, with the keys that are run. */
const KEYS: Partial<Record<StepName, string[]>> = {
  email: ['subject', 'preview', 'text', 'hours', 'replyTo', 'track', 'unsubscribe'],
  sms: ['text', 'hours'],
  wait: ['for'],
  branch: ['by', 'lanes', 'otherwise'],
  tag: ['add', 'remove'],
  score: ['score', 'add']
};
export const SHEET_KINDS = Object.keys(KEYS) as StepName[];

const ABOUT_MESSAGES = MESSAGE_HAPPENINGS as readonly string[];

/** Everything of a journey that is not run live yet. */
export function beyondLive(journey: Journey): Problem[] {
  const problems: Problem[] = [];
  const not = (path: Path, what: string): void =>
    void problems.push({ path, message: `found ${what}, which is computed by "ambulo trace" but not run live yet` });
  const keys = (value: object, known: string[], path: Path): void => {
    for (const [key, v] of Object.entries(value))
      if (v !== undefined && !known.includes(key)) not([...path, key], `"${key}"`);
  };
  const condition = (c: Condition, path: Path): void => {
    if ('all' in c) return c.all.forEach((x, i) => condition(x, [...path, 'all', i]));
    if ('any' in c) return c.any.forEach((x, i) => condition(x, [...path, 'any', i]));
    if ('did' in c) {
      if (!ABOUT_MESSAGES.includes(c.did) || c.of === undefined) return not(path, `"did": "${c.did}" over everything`);
      return keys(c, ['did', 'of', ...(c.did === 'clicked' ? ['link'] : [])], path);
    }
    if ('field' in c && !('came' in c)) {
      if (Array.isArray(c.is) || Array.isArray(c.not)) not(path, 'several choices');
      return keys(c, ['field', 'is', 'not', 'set'], path);
    }
    if ('came' in c || 'score' in c) return not(path, `"${'came' in c ? 'came' : 'score'}"`);
    if ('not' in c) return condition(c.not as Condition, [...path, 'not']);
    if (!('tag' in c) && !('consent' in c)) not(path, `"${Object.keys(c)[0]}"`);
  };
  const rule = (r: HappeningOrCondition, path: Path): void => {
    if (!isHappening(r)) return condition(r, path);
    const known: (keyof Filters)[] = ABOUT_MESSAGES.includes(r.happening)
      ? ['of', 'channel', 'link']
      : r.happening === 'purchased'
        ? ['product']
        : ['tag'];
    const taken =
      ABOUT_MESSAGES.includes(r.happening) || ['purchased', 'tag_added', 'tag_removed'].includes(r.happening);
    if (!taken) return not([...path, 'happening'], `"${r.happening}"`);
    keys(r, ['happening', ...known], path);
  };

  const { entry } = journey;
  if (entry) {
    keys(entry, ['on', 'where', 'existing', 'again'], ['entry']);
    if (entry.again !== undefined && entry.again !== 'once') not(['entry', 'again'], `"${entry.again}"`);
    entry.on?.forEach((r, i) => {
      if (r.happening !== 'tag_added') not(['entry', 'on', i, 'happening'], `"${r.happening}"`);
    });
    if (entry.where) condition(entry.where, ['entry', 'where']);
  }
  if (journey.goal) rule(journey.goal.when, ['goal', 'when']);
  journey.leaveWhen?.forEach((r, i) => rule(r.when, ['leaveWhen', i, 'when']));
  for (const { step, path } of eachStep(journey)) {
    const known = KEYS[step.kind];
    if (!known) {
      not([...path, 'kind'], `"${step.kind}"`);
      continue;
    }
    keys(step, [...COMMON, ...known], path);
    if (step.kind === 'branch' && step.by !== 'rules') not([...path, 'by'], `"${step.by}"`);
    for (const lane of lanesOf(step)) if (lane.when) rule(lane.when, [...path, ...lane.path, 'when']);
  }
  return problems;
}
