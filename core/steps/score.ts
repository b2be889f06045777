/** score: add points to a score, or take points off. */
import { z } from 'zod';
import { common, noLanes, type StepKind } from './base.ts';

export const scoreSchema = z.strictObject({
  ...common,
  kind: z.literal('score'),
  score: z.string(),
  add: z.number()
});
export type ScoreStep = z.infer<typeof scoreSchema>;

const signed = (n: number): string => (n < 0 ? `−${-n}` : `+${n}`);

export const score: StepKind<ScoreStep> = {
  does: 'add points, or take some off',
  create: (key) => ({ key, kind: 'score', score: 'interest', add: 5 }),
  lanes: noLanes,
  run: (step, here) => ({ effects: [{ do: 'score', score: step.score, add: step.add }], move: { go: here.next } }),
  card: (step) => ({ title: step.name || `${step.score || 'score'} ${signed(step.add)}`, line: 'points' }),
  tell: (step) =>
    step.add < 0
      ? `They lose ${-step.add} points of ${step.score || 'a score not chosen yet'}.`
      : `They get ${step.add} points of ${step.score || 'a score not chosen yet'}.`
};
