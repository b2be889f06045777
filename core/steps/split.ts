/** split: lanes by chance, in proportion to their weights; with a winner, later arrivals take the lane that did best. */
import { z } from 'zod';
import { chance } from '../walk/chance.ts';
import { rule } from '../journey/rule.ts';
import { durationSchema } from '../journey/values.ts';
import { durationWords } from '../tell/words.ts';
import { atOnce, common, decided, lacksNothing, opened, type StepKind, take } from './base.ts';
import { labelledLane } from './labelled.ts';
import { decideWinner, WON_BY } from './winner.ts';
import { bare } from '../bare.ts';

const weightOf = (lane: unknown): unknown =>
  typeof lane === 'object' && lane !== null ? (lane as { weight?: unknown }).weight : undefined;

export const splitSchema = z
  .strictObject({
    ...common,
    kind: z.literal('split'),
    lanes: z.array(labelledLane({ weight: z.number().min(0) })).min(2),
    winner: z
      .strictObject({
        by: z.enum(WON_BY),
        after: z.strictObject({ people: z.number().int().min(1), wait: durationSchema })
      })
      .optional()
  })
  .refine(
    (s) => s.lanes.some((lane) => lane.weight > 0),
    rule<{ lanes: unknown }>(
      'expected a weight above 0 on some lane',
      (s) => Array.isArray(s.lanes) && s.lanes.every((lane: unknown) => typeof weightOf(lane) === 'number'),
      ['lanes']
    )
  );
export type SplitStep = z.infer<typeof splitSchema>;

/** The lane that chance gives: by cumulative weight. `draw` is from 0 up to 1. */
export function laneByWeight(weights: readonly number[], draw: number): number {
  const total = weights.reduce((sum, w) => sum + w, 0);
  let below = 0;
  for (const [i, weight] of weights.entries()) {
    below += weight;
    if (draw * total < below) return i;
  }
  return weights.findLastIndex((w) => w > 0);
}

export const split: StepKind<SplitStep> = {
  does: 'send people down different lanes, by chance',
  reads: ({ winner }, facts) => {
    if (winner && winner.by !== 'goal') facts.reactions.add(winner.by);
  },
  reaches: null,
  lacks: lacksNothing,
  create: (key) => ({
    key,
    kind: 'split',
    lanes: [
      { label: 'first', weight: 50, lane: [] },
      { label: 'second', weight: 50, lane: [] }
    ]
  }),
  lanes: (step) => {
    const total = step.lanes.reduce((sum, lane) => sum + lane.weight, 0);
    return step.lanes.map((lane, i) =>
      opened(lane, ['lanes', i], `${Math.round((lane.weight / total) * 100)} % of them`)
    );
  },
  run(step, here, context) {
    const { walk, person, plan, around, at, zone } = context;
    let lane = walk.taken?.[step.key];
    if (lane === undefined) {
      const draws = step.winner ? around.draws(plan, step.key) : null;
      const winner = draws && step.winner ? decideWinner(step.winner, here, plan, draws, at, zone) : null;
      const weights = step.lanes.map((l) => l.weight);
      lane = winner ?? laneByWeight(weights, chance(plan.key, step.key, person.id));
      (walk.taken ??= bare())[step.key] = lane;
      // Those who are given the winner were not drawn.
      if (draws && winner === null) draws.draw({ person, walk, lane, at });
    }
    return take(step.key, here, lane, step.lanes[lane]?.label ?? '');
  },
  card: (step) => ({
    title: step.name || 'Split',
    line: step.lanes.map((lane) => `${lane.weight}`).join(' : ')
  }),
  tell: (step) => {
    const by = { opened: 'opens', clicked: 'link clicks', replied: 'replies', goal: 'reached goals' };
    const w = step.winner;
    const winner = w
      ? ` Once ${w.after.people} people were drawn and ${durationWords(w.after.wait)} have passed, everyone takes the lane with the highest share of ${by[w.by]}.`
      : '';
    return `${step.name ? `${step.name}: chance` : 'Chance'} decides.${winner}`;
  },
  carried: { not: ['lanes'] },
  lasts: atOnce,
  done: null,
  figure: decided
};
