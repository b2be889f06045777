/**
 * Journeys that set each other off in a ring in which nobody ever stands still: one entry would go round until the language's own
 * bound stops it, thousands of walks later. Such a journey cannot go live. Rings with a wait in them are a remark (hand-over.ts).
 */
import type { Journey } from '../journey/schema.ts';
import { reachedAtOnce } from './at-once.ts';
import type { Around } from './around.ts';
import type { Check } from './finding.ts';

/** Whether somebody who was in a journey may get in again. */
const again = ({ entry }: Journey): boolean => (entry?.again ?? (entry?.timetable ? 'again' : 'once')) !== 'once';

interface Deeds {
  document: Journey;
  over: Set<string>;
  on: Record<'tag' | 'list', Set<string>>;
  off: Record<'tag' | 'list', Set<string>>;
  clears: boolean;
  ends: boolean;
}

function deedsOf(document: Journey): Deeds {
  const { steps, ends } = reachedAtOnce(document);
  const deeds: Deeds = {
    document,
    over: new Set(),
    on: { tag: new Set(), list: new Set() },
    off: { tag: new Set(), list: new Set() },
    clears: false,
    ends
  };
  for (const step of steps) {
    if (step.kind === 'handover') deeds.over.add(step.journey);
    if (step.kind !== 'tag' && step.kind !== 'list') continue;
    const move = step.kind === 'list' ? step.move : undefined;
    for (const name of [...(step.add ?? []), ...(move ? [move.to] : [])]) deeds.on[step.kind].add(name);
    for (const name of [...(step.remove ?? []), ...(move ? [move.from] : [])]) deeds.off[step.kind].add(name);
    if (step.kind === 'tag' && step.clearOthers) deeds.clears = true;
  }
  return deeds;
}

/** Whether what somebody does at once in one journey lets them into another, again and again where `ring` does it. */
function leadsTo(from: Deeds, to: Deeds, ring: readonly Deeds[]): boolean {
  if (from.over.has(to.document.key)) return true;
  return (to.document.entry?.on ?? []).some((r) => {
    switch (r.happening) {
      // Only what really changes is a happening: a tag that nobody takes off comes on once.
      case 'tag_added':
        return (
          r.tag !== undefined && from.on.tag.has(r.tag) && ring.some((d) => d.clears || d.off.tag.has(r.tag ?? ''))
        );
      case 'tag_removed':
        return r.tag !== undefined && from.off.tag.has(r.tag) && ring.some((d) => d.on.tag.has(r.tag ?? ''));
      case 'list_joined':
        return r.list !== undefined && from.on.list.has(r.list) && ring.some((d) => d.off.list.has(r.list ?? ''));
      case 'list_left':
        return r.list !== undefined && from.off.list.has(r.list) && ring.some((d) => d.on.list.has(r.list ?? ''));
      case 'entered':
      case 'goal_reached':
        return r.journey === from.document.key;
      case 'left':
        return r.journey === from.document.key && from.ends;
      default:
        return false;
    }
  });
}

/** The nearest ring through a journey in which nobody stands still, as keys from it on; `null` where there is none. */
export function ringThrough(journey: Journey, others: Around['journeys']): string[] | null {
  if (!again(journey)) return null;
  const all = [
    deedsOf(journey),
    ...(others ?? [])
      .filter((j) => j.live && j.key !== journey.key && again(j.document))
      .map((j) => deedsOf({ ...j.document, key: j.key }))
  ];
  const [own] = all;
  if (!own) return null;
  const from = new Map<Deeds, Deeds | null>([[own, null]]);
  const waiting = [own];
  for (let here = waiting.shift(); here; here = waiting.shift()) {
    if (leadsTo(here, own, all)) {
      const ring: string[] = [];
      for (let at: Deeds | null = here; at; at = from.get(at) ?? null) ring.unshift(at.document.key);
      return ring;
    }
    for (const next of all) {
      if (from.has(next) || !leadsTo(here, next, all)) continue;
      from.set(next, here);
      waiting.push(next);
    }
  }
  return null;
}

export const ring: Check = (journey, _steps, { journeys }) => {
  const found = ringThrough(journey, journeys);
  if (!found) return [];
  const named = found.map((key) => `“${journeys?.find((j) => j.key === key)?.name ?? journey.name ?? key}”`);
  return [
    {
      severity: 'blocker',
      check: 'ring',
      step: null,
      text: `Whoever gets in goes round without end, and nobody stands still on the way: ${[...named, named[0]].join(' → ')}.`,
      hint: 'Let people into one of them once only, or put a wait in the ring.'
    }
  ];
};
