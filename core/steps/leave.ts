/** leave: end the walk. */
import { z } from 'zod';
import { number } from '../tell/words.ts';
import { atOnce, common, lacksNothing, noLanes, readsNothing, type StepKind } from './base.ts';
import { naming } from '../text/text.ts';

export const leaveSchema = z.strictObject({
  ...common,
  kind: z.literal('leave'),
  as: z.enum(['finished', 'goal']).optional(),
  reason: naming().optional()
});
export type LeaveStep = z.infer<typeof leaveSchema>;

export const leave: StepKind<LeaveStep> = {
  does: 'end the walk',
  reads: readsNothing,
  reaches: null,
  lacks: lacksNothing,
  create: (key) => ({ key, kind: 'leave' }),
  lanes: noLanes,
  run: (step) => ({ effects: [], move: { leave: step.as ?? 'finished', reason: step.reason ?? null } }),
  card: (step) => ({ title: step.name || 'Leave', line: step.reason ?? step.as ?? 'finished' }),
  tell: (step) =>
    `They leave${step.as === 'goal' ? ', the goal reached' : ''}${step.reason ? ` (${step.reason})` : ''}.`,
  ends: true,
  lasts: atOnce,
  done: null,
  figure: ({ done }) => `${number(done)} left`
};
