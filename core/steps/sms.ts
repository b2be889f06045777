/** sms: send one text message. */
import { z } from 'zod';
import { number } from '../tell/words.ts';
import { rule } from '../journey/rule.ts';
import { atOnce, lacksNothing, noLanes, quote, readsNothing, type StepKind } from './base.ts';
import { send, sendingHours, sendingKeys } from './send.ts';
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
  tell: (step) => `They get the text ${quote(step.name || step.text || step.message || step.aim || 'without words')}.`,
  problems: (step, known, say) => sendingHours('sms', step, known, say),
  lasts: atOnce,
  done: 'sent',
  figure: (f) =>
    f.retrying
      ? `${number(f.retrying)} tried again`
      : `${number(f.done)} sent${f.replied ? `, ${number(f.replied)} replied` : ''}`
};
