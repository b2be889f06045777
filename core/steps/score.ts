/** score: add points to a score, take points off, or set it. */
import { z } from 'zod';
import { rule } from '../journey/rule.ts';
import { atOnce, switchable, counted, goOn, noLanes, points, type StepKind } from './base.ts';
import { naming } from '../text/text.ts';

export const scoreSchema = z
  .strictObject({
    ...switchable,
    kind: z.literal('score'),
    score: naming(),
    add: points.optional(),
    set: points.optional()
  })
  .refine((s) => (s.add === undefined) !== (s.set === undefined), rule('expected exactly one of "add" and "set"'));
export type ScoreStep = z.infer<typeof scoreSchema>;

const signed = (n: number): string => (n < 0 ? `−${-n}` : `+${n}`);

export const score: StepKind<ScoreStep> = {
  does: 'add points, or take some off',
  reads: (step, facts) => void facts.scores.add(step.score),
  reaches: null,
  lacks: (step) => (step.score.trim() ? null : ['This step has no score chosen.', 'Name the score.']),
  create: (key) => ({ key, kind: 'score', score: '', add: 5 }),
  lanes: noLanes,
  run: (step, here) =>
    goOn(here, {
      do: 'score',
      score: step.score,
      change: step.set === undefined ? { add: step.add ?? 0 } : { set: step.set }
    }),
  card: (step) => ({
    title: step.name || `${step.score || 'score'} ${step.set === undefined ? signed(step.add ?? 0) : `= ${step.set}`}`,
    line: 'points'
  }),
  tell: (step) => {
    const score = step.score || 'a score not chosen yet';
    if (step.set !== undefined) return `Their points of ${score} become ${step.set}.`;
    const add = step.add ?? 0;
    return add < 0 ? `They lose ${-add} points of ${score}.` : `They get ${add} points of ${score}.`;
  },
  carried: { words: { add: 'points' } },
  lasts: atOnce,
  done: 'scored',
  figure: counted('scored'),
  trail: { scored: (d) => ['Score', `${String(d['score'])} is now ${String(d['points'])}`] }
};
