/** email: send one email. */
import { z } from 'zod';
import { common, noLanes, type StepKind } from './base.ts';
import { send, stepHours } from './send.ts';

export const emailSchema = z.strictObject({
  ...common,
  kind: z.literal('email'),
  subject: z.string().optional(),
  preview: z.string().optional(),
  text: z.string().optional(),
  hours: stepHours
});
export type EmailStep = z.infer<typeof emailSchema>;

export const email: StepKind<EmailStep> = {
  does: 'send one email',
  create: (key) => ({ key, kind: 'email', subject: '', text: '' }),
  lanes: noLanes,
  run: (step, here, context) => send('email', step.hours, here, context),
  card: (step) => ({ title: step.name || step.subject || 'Email', line: step.subject || 'no subject yet' }),
  tell: (step) => `They get the email ${quote(step.name || step.subject || 'without a subject')}.`
};

function quote(text: string): string {
  return `“${text}”`;
}
