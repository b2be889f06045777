/** sms: send one text message. */
import { z } from 'zod';
import { common, noLanes, type StepKind } from './base.ts';
import { send, stepHours } from './send.ts';

export const smsSchema = z.strictObject({
  ...common,
  kind: z.literal('sms'),
  text: z.string().optional(),
  hours: stepHours
});
export type SmsStep = z.infer<typeof smsSchema>;

export const sms: StepKind<SmsStep> = {
  does: 'send one text message',
  create: (key) => ({ key, kind: 'sms', text: '' }),
  lanes: noLanes,
  run: (step, here, context) => send('sms', step.hours, here, context),
  card: (step) => ({ title: step.name || 'Text', line: step.text || 'no words yet' }),
  tell: (step) => `They get the text “${step.name || step.text || 'without words'}”.`
};
