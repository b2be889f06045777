/** A hand-over into a journey that would refuse everyone who comes from here, as far as the two journeys alone tell it. */
import type { Condition, HappeningOrCondition } from '../condition/schema.ts';
import { eachRule, isHappening } from '../condition/schema.ts';
import { parseInstant } from '../time/instant.ts';
import type { Journey } from '../journey/schema.ts';
import type { Step } from '../steps/index.ts';
import { isOff } from '../steps/index.ts';
import { fate } from './always-or-never.ts';
import type { OtherJourney } from './around.ts';
import { remark, type Check, type Finding } from './finding.ts';

/** Questions that all have to be met. */
const partsOf = (c: Condition | undefined): Condition[] => (!c ? [] : 'all' in c ? c.all.flatMap(partsOf) : [c]);

/** The tag that a condition asks for as a fact; what was done with one is another question. */
const tagOf = (c: Condition): string | null => ('tag' in c && !('did' in c) && c.tag !== undefined ? c.tag : null);

/** Tags that everyone has who comes to a step, and those that nobody there has. */
function tagsAt(journey: Journey, before: Step[]): { on: Set<string>; off: Set<string> } {
  const on = new Set(partsOf(journey.entry?.where).flatMap((c) => tagOf(c) ?? []));
  const rules = journey.entry?.on ?? [];
  const [only] = rules;
  if (rules.length === 1 && only?.happening === 'tag_added' && only.tag !== undefined) on.add(only.tag);
  const off = new Set<string>();
  for (const step of before) {
    if (step.kind !== 'tag' || isOff(step)) continue;
    for (const tag of step.remove ?? []) {
      on.delete(tag);
      off.add(tag);
    }
    for (const tag of step.add ?? []) {
      on.add(tag);
      off.delete(tag);
    }
  }
  return { on, off };
}

/** Whether a condition is met by everyone (`true`) or nobody (`false`) with these tags; `null`: that depends. */
function metBy(condition: Condition, tags: { on: Set<string>; off: Set<string> }): boolean | null {
  if ('all' in condition) {
    const parts = condition.all.map((c) => metBy(c, tags));
    return parts.includes(false) ? false : parts.every((p) => p === true) ? true : null;
  }
  if ('any' in condition) {
    const parts = condition.any.map((c) => metBy(c, tags));
    return parts.includes(true) ? true : parts.every((p) => p === false) ? false : null;
  }
  const tag = tagOf(condition);
  if (tag !== null) return tags.on.has(tag) ? true : tags.off.has(tag) ? false : null;
  if ('not' in condition && !('field' in condition) && !('score' in condition)) {
    const inner = metBy(condition.not, tags);
    return inner === null ? null : !inner;
  }
  return null;
}

const anyMet = (rules: HappeningOrCondition[], tags: { on: Set<string>; off: Set<string> }): boolean =>
  rules.some((r) => !isHappening(r) && metBy(r, tags) === true);

/** Why everyone is refused, in words that follow "because"; `null` where that is not certain. */
function reasonOf(journey: Journey, before: Step[], other: OtherJourney, now: number | undefined): string | null {
  const { entry, goal, leaveWhen } = other.document;
  const tags = tagsAt(journey, before);
  const opens = entry?.opens === undefined ? null : parseInstant(entry.opens);
  if (opens !== null && now !== undefined && now < opens) return 'it opens only later';
  const where = entry?.where;
  if (where && metBy(where, tags) === false) return 'it lets in only those without or with another tag';
  if (where && fate({ all: [...partsOf(journey.entry?.where), ...partsOf(where)] }) === 'never')
    return 'who it lets in is not let in here';
  const was = journey.entry?.on ?? [];
  const wasInside =
    was.length > 0 &&
    was.every(
      (r) =>
        (r.happening === 'entered' || r.happening === 'left' || r.happening === 'goal_reached') &&
        r.journey === other.key
    );
  if (wasInside && (entry?.again ?? (entry?.timetable ? 'again' : 'once')) === 'once')
    return 'it lets people in once, and all who are here have been in it';
  if (goal && anyMet(eachRule(goal.when), tags)) return 'they have reached its goal already';
  if ((leaveWhen ?? []).some(({ when }) => anyMet(eachRule(when), tags))) return 'its leave rules concern all of them';
  return null;
}

export const handedRefused: Check = (journey, steps, { journeys, now }) =>
  steps.flatMap(({ step, before }): Finding[] => {
    if (step.kind !== 'handover') return [];
    const other = journeys?.find((j) => j.key === step.journey && j.live);
    const reason = other && reasonOf(journey, before, other, now);
    return other && reason
      ? [
          remark(
            step.key,
            'handed-refused',
            `“${other.name}” refuses everyone who comes from here: ${reason}. People go on here instead.`,
            'Look at how people get into it, or go on otherwise.'
          )
        ]
      : [];
  });
