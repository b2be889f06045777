/** notify: tell a colleague. */
import { z } from 'zod';
import { atOnce, switchable, counted, errandWords, goOn, noLanes, quote, readsNothing, type StepKind } from './base.ts';
import { LONGEST, naming, plainText } from '../text/text.ts';

export const notifySchema = z.strictObject({
  ...switchable,
  kind: z.literal('notify'),
  to: naming(LONGEST.name).min(1, { error: 'expected a colleague, or "owner"' }),
  text: plainText()
});
export type NotifyStep = z.infer<typeof notifySchema>;

export const notify: StepKind<NotifyStep> = {
  does: 'tell a colleague',
  reads: readsNothing,
  reaches: 'other',
  lacks: ({ text }) => (text.trim() ? null : ['This notice has no words.', 'Write what the colleague is told.']),
  create: (key) => ({ key, kind: 'notify', to: 'owner', text: '' }),
  lanes: noLanes,
  run: (_step, here) => goOn(here, { do: 'errand', errand: 'notify', what: 'notified' }),
  card: (step) => ({ title: step.name || `Tell ${step.to}`, line: step.text || 'nothing yet' }),
  tell: (step) => `${step.to === 'owner' ? 'The owner' : step.to} is told ${quote(step.text)}.`,
  lasts: atOnce,
  done: 'notified',
  figure: counted('told'),
  trail: { notified: (d) => ['A colleague was told', errandWords(d)] }
};
