/**
 * What the live engine and the sheet take today: part of the language. The core
 * computes all of it; what is beyond is refused with its path, never ignored.
 */
import type { Filters, HappeningName } from '../condition/happening.ts';
import { MESSAGE_HAPPENINGS } from '../condition/happening.ts';
import { isHappening, type Condition, type HappeningOrCondition } from '../condition/schema.ts';
import type { Path, Problem } from '../journey/problems.ts';
import type { Journey } from '../journey/schema.ts';
import { eachStep } from '../journey/walk-document.ts';
import { lanesOf, type StepName } from '../steps/index.ts';

const COMMON = ['key', 'kind', 'name', 'aim', 'note'];
/** Kinds of step that go live, with the keys that are run. */
const KEYS: Partial<Record<StepName, string[]>> = {
  email: ['subject', 'preview', 'text', 'hours', 'replyTo', 'track', 'unsubscribe', 'service', 'cannot'],
  sms: ['text', 'hours', 'service', 'cannot'],
  wait: ['for', 'until', 'hours'],
  listen: ['for', 'limit', 'otherwise'],
  branch: ['by', 'of', 'cuts', 'lanes', 'otherwise', 'none'],
  split: ['lanes'],
  tag: ['add', 'remove', 'clearOthers'],
  list: ['add', 'remove', 'move'],
  field: ['set'],
  score: ['score', 'add', 'set'],
  handover: ['journey', 'stay'],
  withdraw: ['from'],
  loop: ['to', 'atMost'],
  leave: ['as', 'reason']
};
export const LIVE_KINDS = Object.keys(KEYS) as StepName[];

/** Kinds that the sheet puts in. */
export const SHEET_KINDS: StepName[] = ['email', 'sms', 'wait', 'branch', 'tag', 'score'];

const ABOUT_MESSAGES = MESSAGE_HAPPENINGS as readonly string[];

const MESSAGE_FILTERS: (keyof Filters)[] = ['of', 'channel', 'link'];

/** Happenings beside those about messages that walks and entries hear of, with the filters that are asked. */
const HEARD: Partial<Record<HappeningName, (keyof Filters)[]>> = {
  purchased: ['product'],
  tag_added: ['tag'],
  tag_removed: ['tag'],
  list_joined: ['list'],
  list_left: ['list'],
  field_changed: ['field', 'to'],
  consent_changed: ['channel', 'to'],
  score_reached: ['score', 'points'],
  entered: ['journey'],
  goal_reached: ['journey'],
  left: ['journey', 'as', 'reason']
};

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
      return keys(c, ['did', 'of', 'last', 'times', ...(c.did === 'clicked' ? ['link'] : [])], path);
    }
    if ('came' in c) return not(path, '"came"');
    if ('field' in c || 'score' in c) return;
    if ('not' in c) return condition(c.not as Condition, [...path, 'not']);
    if (!('tag' in c) && !('list' in c) && !('consent' in c) && !('walking' in c)) not(path, `"${Object.keys(c)[0]}"`);
  };
  const rule = (r: HappeningOrCondition, path: Path): void => {
    if (!isHappening(r)) return condition(r, path);
    const known = ABOUT_MESSAGES.includes(r.happening) ? MESSAGE_FILTERS : HEARD[r.happening];
    if (!known) return not([...path, 'happening'], `"${r.happening}"`);
    keys(r, ['happening', ...known], path);
  };

  const { entry } = journey;
  if (entry) {
    keys(entry, ['on', 'where', 'existing', 'again', 'opens'], ['entry']);
    entry.on?.forEach((r, i) => rule(r, ['entry', 'on', i]));
    // Those who have it already are looked for by tags.
    if (entry.existing && entry.on?.some((r) => r.list !== undefined))
      not(['entry', 'existing'], '"existing" with a list');
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
    if (step.kind === 'branch' && step.by === 'bands' && 'spent' in step.of) not([...path, 'of'], '"spent"');
    for (const lane of lanesOf(step)) if (lane.when) rule(lane.when, [...path, ...lane.path, 'when']);
  }
  return problems;
}
