/** Which lane of a split has won: the one with the highest share of people who did what is asked. Rules: docs/journey-language.md, "Winner". */
import { addDuration } from '../time/civil.ts';
import { duration } from '../time/duration.ts';
import type { Draws } from '../walk/draws.ts';
import type { Instruction, Plan } from '../walk/plan.ts';

export const WON_BY = ['opened', 'clicked', 'replied', 'goal'] as const;

export interface Winner {
  by: (typeof WON_BY)[number];
  after: { people: number; wait: string };
}

/** The lane that has won, deciding it if the time has come; `null` before. `at` is when someone arrives, UTC ms. */
export function decideWinner(
  { by, after }: Winner,
  here: Instruction,
  plan: Plan,
  draws: Draws,
  at: number,
  zone: string
): number | null {
  if (draws.winner !== null) return draws.winner;
  const last = draws.drawn[after.people - 1];
  if (!last || at < addDuration(zone, last.at, duration(after.wait))) return null;
  const keys = here.spans.map(([from, to]) => new Set(plan.instructions.slice(from, to).map((i) => i.step.key)));
  const drawn = here.lanes.map(() => 0);
  const did = here.lanes.map(() => 0);
  for (const { person, walk, lane } of draws.drawn) {
    drawn[lane] = (drawn[lane] ?? 0) + 1;
    const reached =
      by === 'goal'
        ? walk.goalReached
        : person.reactions.some(
            (h) =>
              h.name === by &&
              !h.machine &&
              h.about?.walk === walk.id &&
              h.about.journey === plan.key &&
              keys[lane]?.has(h.about.step)
          );
    if (reached) did[lane] = (did[lane] ?? 0) + 1;
  }
  let best = 0;
  const share = (i: number): number => (drawn[i] ? (did[i] ?? 0) / (drawn[i] ?? 1) : 0);
  for (const i of here.lanes.keys()) if (share(i) > share(best)) best = i;
  draws.winner = best;
  return best;
}
