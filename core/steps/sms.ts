/** sms: send one text message. */
import { z } from 'zod';
import { rule } from '../journey/rule.ts';
import { lacksNothing, noLanes, quote, readsNothing, type StepKind } from './base.ts';
import { send, sendingKeys } from './send.ts';
import { LONGEST, plainText } from '../text/text.ts';

export const smsSchema = z
  .strictObject({ ...sendingKeys, kind: z.literal('sms'), text: plainText(LONGEST.sms).optional() })
  .refine(
    (s) => s.message === undefined || s.text === undefined,
    rule('expected either "message" or "text", not both')
  );
export type SmsStep = z.infer<typeof smsSchema>;

export const sms: StepKind<SmsStep> = {
  does: 'send one text message',
  reads: readsNothing,
  reaches: 'sms',
  lacks: lacksNothing,
  create: (key) => ({ key, kind: 'sms', text: '' }),
  lanes: noLanes,
  run: (step, here, context) => send('sms', step, here, context),
  card: (step) => ({ title: step.name || 'Text', line: step.text || step.message || 'no words yet' }),
  tell: (step) => `They get the text ${quote(step.name || step.text || step.message || step.aim || 'without words')}.`
};
