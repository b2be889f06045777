/** A hand-over into a journey that takes nobody in, and journeys that set each other off in a circle. */
import type { Journey } from '../journey/schema.ts';
import { eachStep } from '../journey/walk-document.ts';
import { isOff } from '../steps/index.ts';
import { remark, type Check, type Finding } from './finding.ts';
import { ringThrough } from './rings.ts';

export const handedNowhere: Check = (_journey, steps, { journeys }) =>
  steps.flatMap(({ step }): Finding[] => {
    if (step.kind !== 'handover' || !journeys) return [];
    const other = journeys.find((j) => j.key === step.journey);
    return other && !other.live
      ? [
          remark(
            step.key,
            'handed-nowhere',
            `“${other.name}” takes nobody in now: people go on here instead.`,
            'Set it live first.'
          )
        ]
      : [];
  });

/** Journeys that what somebody does in this one lets them into: by hand-over, by a tag, by a list, by a goal reached. */
export function setsOff(journey: Journey, all: readonly { key: string; document: Journey }[]): string[] {
  const tags = new Set<string>();
  const lists = new Set<string>();
  const over = new Set<string>();
  for (const { step } of eachStep(journey)) {
    if (isOff(step)) continue;
    if (step.kind === 'tag') for (const tag of step.add ?? []) tags.add(tag);
    if (step.kind === 'list')
      for (const list of [...(step.add ?? []), ...(step.move ? [step.move.to] : [])]) lists.add(list);
    if (step.kind === 'handover') over.add(step.journey);
  }
  return all
    .filter(
      ({ key, document }) =>
        over.has(key) ||
        document.entry?.on?.some(
          (r) =>
            (r.happening === 'tag_added' && r.tag !== undefined && tags.has(r.tag)) ||
            (r.happening === 'list_joined' && r.list !== undefined && lists.has(r.list)) ||
            ((r.happening === 'goal_reached' || r.happening === 'left' || r.happening === 'entered') &&
              r.journey === journey.key)
        )
    )
    .map(({ key }) => key);
}

/** Whether somebody who was in a journey may get in again. */
const again = (j: Journey): boolean => (j.entry?.again ?? (j.entry?.timetable ? 'again' : 'once')) !== 'once';

export const circle: Check = (journey, _steps, { journeys }) => {
  // One without a wait in it is told as what it is.
  if (!journeys || ringThrough(journey, journeys)) return [];
  const all = [
    { key: journey.key, name: journey.name ?? journey.key, document: journey },
    ...journeys.filter((j) => j.key !== journey.key)
  ];
  // Whoever gets in only once goes round only once: those end every circle.
  const open = new Map(all.filter((j) => again(j.document)).map((j) => [j.key, j]));
  // The nearest way back, each journey looked at once: however many set each other off, it is soon over.
  const from = new Map<string, string | null>([[journey.key, null]]);
  const waiting = [journey.key];
  let last: string | null = null;
  for (let key = waiting.shift(); key !== undefined && last === null; key = waiting.shift()) {
    const here = open.get(key);
    if (!here) continue;
    for (const next of setsOff(here.document, all)) {
      if (next === journey.key && key !== journey.key) last ??= key;
      if (from.has(next)) continue;
      from.set(next, key);
      waiting.push(next);
    }
  }
  if (last === null) return [];
  const round: string[] = [];
  for (let key: string | null = last; key !== null; key = from.get(key) ?? null) round.unshift(key);
  const names = round.map((key) => open.get(key)?.name ?? key);
  return [
    remark(
      null,
      'circle',
      `Journeys set each other off in a circle: ${[...names, names[0]].join(', then ')}.`,
      'Let one of them take people in only once, or start from something else.'
    )
  ] satisfies Finding[];
};

/** What lets people into this journey and into another that is live. */
export const twoFromOne: Check = (journey, _steps, { journeys }) =>
  (journey.entry?.on ?? []).flatMap((rule): Finding[] => {
    const other = journeys?.find(
      (j) =>
        j.live && j.key !== journey.key && j.document.entry?.on?.some((r) => JSON.stringify(r) === JSON.stringify(rule))
    );
    return other
      ? [
          remark(
            null,
            'two-from-one',
            `“${other.name}” starts from the same happening: people are in both at once.`,
            'Look whether both should write to them, or let one take only those the other does not.'
          )
        ]
      : [];
  });
