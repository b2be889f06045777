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

/** When the winner may be decided, UTC ms; `null` while too few were drawn. */
export function decidedFrom({ after }: Winner, draws: Pick<Draws, 'nth'>, zone: string): number | null {
  const last = draws.nth(after.people);
  return last === null ? null : addDuration(zone, last, duration(after.wait));
}

/** Keys of the steps on each lane of a split, those on lanes inside it included. */
export const keysOfLanes = (here: Instruction, { instructions }: Plan): Set<string>[] =>
  here.spans.map(([from, to]) => new Set(instructions.slice(from, to).map((i) => i.step.key)));

/** The lane that has won, deciding it if the time has come; `null` before. `at` is when someone arrives, UTC ms. */
export function decideWinner(
  winner: Winner,
  here: Instruction,
  plan: Plan,
  draws: Draws,
  at: number,
  zone: string
): number | null {
  if (draws.winner !== null) return draws.winner;
  const from = decidedFrom(winner, draws, zone);
  if (from === null || at < from) return null;
  const keys = keysOfLanes(here, plan);
  const { by } = winner;
  const shares = draws.shares(here.lanes.length, ({ person, walk, lane }) =>
    by === 'goal'
      ? walk.goalReached
      : person.reactions.some(
          (h) =>
            h.name === by &&
            !h.machine &&
            h.about?.walk === walk.id &&
            h.about.journey === plan.key &&
            keys[lane]?.has(h.about.step)
        )
  );
  let best = 0;
  const share = (i: number): number => (shares[i]?.drawn ? shares[i].did / shares[i].drawn : 0);
  for (const i of here.lanes.keys()) if (share(i) > share(best)) best = i;
  draws.decide(best);
  return best;
}
