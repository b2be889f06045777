/** task: make a task for a colleague; with `await`, stand still until it is done. */
import { z } from 'zod';
import { durationSchema } from '../journey/values.ts';
import { durationWords } from '../tell/words.ts';
import { duration, rulerLength, type Duration } from '../time/duration.ts';
import { switchable, counted, goOn, lacksNothing, noLanes, quote, readsNothing, type StepKind } from './base.ts';
import { standing } from './standing.ts';
import { LONGEST, naming, plainText } from '../text/text.ts';

export const taskSchema = z.strictObject({
  ...switchable,
  kind: z.literal('task'),
  title: naming(LONGEST.name).min(1, { error: 'expected a title' }),
  what: z.enum(['call', 'check', 'meet', 'other']).optional(),
  due: durationSchema.optional(),
  to: naming(LONGEST.name).optional(),
  priority: z.enum(['low', 'normal', 'high']).optional(),
  text: plainText().optional(),
  await: z.strictObject({ limit: durationSchema }).optional()
});
export type TaskStep = z.infer<typeof taskSchema>;

export const task: StepKind<TaskStep> = {
  does: 'make a task for a colleague',
  reads: readsNothing,
  reaches: 'other',
  lacks: lacksNothing,
  create: (key) => ({ key, kind: 'task', title: 'Call them' }),
  lanes: noLanes,
  prepare: (step): Duration | null => (step.await ? duration(step.await.limit) : null),
  run(step, here, context) {
    const limit = here.prepared as Duration | null;
    return {
      effects: [{ do: 'errand', errand: 'task', what: 'tasked' }],
      move: limit ? { stand: standing('task', limit, context) } : { go: here.next }
    };
  },
  card: (step) => ({ title: step.name || step.title, line: step.await ? 'awaited' : (step.what ?? 'task') }),
  tell: (step) =>
    `${step.to === undefined || step.to === 'owner' ? 'The owner' : step.to} gets the task ${quote(step.title)}${step.await ? `, and they wait until it is done, at most ${durationWords(step.await.limit)}` : ''}.`,
  lasts: (step) => (step.await ? { min: 0, max: rulerLength(duration(step.await.limit)) } : null),
  hears: (step, here, h, { walk, plan }) => {
    const done = h.name === 'task_done' && h.about?.walk === walk.id && h.about.step === step.key;
    return done && h.about?.journey === plan.key ? { ...goOn(here), used: true } : null;
  },
  due: (_step, here) => goOn(here),
  done: 'tasked',
  figure: counted('tasks made'),
  trail: { tasked: () => ['Task made', ''] }
};
