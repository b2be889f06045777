/** Getting in: who is let in, why someone is not, and the walk that begins. Rules: docs/journey-language.md, "Entry". */
import type { Asked } from '../condition/evaluate.ts';
import type { JourneyPlan } from '../journey/compile.ts';
import { addDuration } from '../time/civil.ts';
import { zoneOf } from '../walk/surroundings.ts';
import type { Walk } from '../walk/walk.ts';
import type { Happening } from './happening.ts';
import type { PersonState } from './state.ts';
import { bare } from '../bare.ts';

/** Why someone is not let in; the first that applies. */
export type Refusal = 'paused' | 'opens' | 'where' | 'once' | 'walking' | 'goal' | 'leave';

/** Why someone would not be let in now; `null` where they would. `asked.walk` is the walk that would begin. */
export function refusalOf(plan: JourneyPlan, asked: Asked): Refusal | null {
  const { person, at } = asked;
  const { entry } = plan;
  if (at < entry.opens) return 'opens';
  if (entry.where && !entry.where(asked)) return 'where';
  const promised = person.promised.includes(plan.key);
  if (entry.again === 'once' && (promised || person.entered.has(plan.key))) return 'once';
  const inside = person.walks.some((w) => w.journey === plan.key && w.state === 'walking');
  if (entry.again === 'again' && (promised || inside)) return 'walking';
  if (plan.goal?.test?.(asked)) return 'goal';
  if (plan.leaveWhen.some((rule) => rule.test?.(asked))) return 'leave';
  return null;
}

/**
 * A walk that has not begun, as the person's next one: what conditions see of someone who asks to be let in. `at` is UTC
 * ms, `entry` the happening that begins it, where one does.
 */
export function newWalk(
  plan: JourneyPlan,
  person: PersonState,
  at: number,
  by: string,
  entry: Happening | undefined,
  settingsZone: string
): Walk {
  return {
    id: person.nextWalk,
    journey: plan.key,
    version: plan.version,
    state: 'walking',
    at: plan.first,
    standing: null,
    by,
    enteredAt: at,
    endedAt: null,
    reason: null,
    visits: bare(),
    goalReached: false,
    goalUntil: plan.goal?.within ? addDuration(zoneOf(person, plan, settingsZone), at, plan.goal.within) : null,
    ...(entry && plan.keepsEntry ? { entry } : {}),
    ...(plan.asksSinceEntry ? { since: Infinity } : {})
  };
}

/** Whether someone has what a journey starts from: one of its tags, lists or segments. */
export function isExisting({ entry }: JourneyPlan, person: PersonState): boolean {
  const { existing } = entry;
  return (
    existing !== null &&
    (existing.tags.some((t) => person.tags.has(t)) ||
      existing.lists.some((l) => person.lists.has(l)) ||
      existing.segments.some((s) => person.segments.has(s)))
  );
}
