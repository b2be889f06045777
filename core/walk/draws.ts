/** Who was drawn at a split with a winner, over all people, and which lane won. Rules: docs/journey-language.md, "Winner". */
import type { Instruction, Plan } from '../journey/compile.ts';
import type { PersonState } from '../person/state.ts';
import { addDuration } from '../time/civil.ts';
import { duration } from '../time/duration.ts';
import { isMessage } from '../steps/index.ts';
import type { SplitStep } from '../steps/split.ts';
import { stepsOf } from '../journey/walk-document.ts';
import type { Walk } from './walk.ts';

export interface Draws {
  drawn: { person: PersonState; walk: Walk; lane: number; at: number }[];
  /** Decided once a version; `null` until then. */
  winner: number | null;
}

export const newDraws = (): Draws => ({ drawn: [], winner: null });

/** The lane that has won, deciding it if the time has come; `null` before. `at` is when someone arrives, UTC ms. */
export function decideWinner(
  step: SplitStep,
  here: Instruction,
  plan: Plan,
  draws: Draws,
  at: number,
  zone: string
): number | null {
  if (draws.winner !== null || !step.winner) return draws.winner;
  const { by, after } = step.winner;
  const last = draws.drawn[after.people - 1];
  if (!last || at < addDuration(zone, last.at, duration(after.wait))) return null;
  const messages = step.lanes.map(
    (lane) =>
      new Set(
        stepsOf(lane.lane)
          .filter(isMessage)
          .map((s) => s.key)
      )
  );
  const drawn = step.lanes.map(() => 0);
  const did = step.lanes.map(() => 0);
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
              messages[lane]?.has(h.about.step)
          );
    if (reached) did[lane] = (did[lane] ?? 0) + 1;
  }
  let best = 0;
  const share = (i: number): number => (drawn[i] ? (did[i] ?? 0) / (drawn[i] ?? 1) : 0);
  for (const i of here.lanes.keys()) if (share(i) > share(best)) best = i;
  draws.winner = best;
  return best;
}
