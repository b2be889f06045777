/** email: send one email. */
import { z } from 'zod';
import { number, percent } from '../tell/words.ts';
import { rule } from '../journey/rule.ts';
import { atOnce, keySchema, lacksNothing, noLanes, quote, readsNothing, type StepKind } from './base.ts';
import { send, sendingHours, sendingKeys } from './send.ts';
import { LONGEST, naming, plainText } from '../text/text.ts';

export const emailSchema = z
  .strictObject({
    ...sendingKeys,
    kind: z.literal('email'),
    text: plainText(LONGEST.email).optional(),
    subject: plainText(LONGEST.subject).optional(),
    preview: plainText(LONGEST.subject).optional(),
    /** Parts of a designed message; each says its own kind. */
    blocks: z
      .array(z.looseObject({ kind: naming() }))
      .max(200)
      .optional(),
    replyTo: naming(LONGEST.name).optional(),
    thread: keySchema.optional(),
    track: z.strictObject({ opens: z.boolean().optional(), clicks: z.boolean().optional() }).optional(),
    unsubscribe: z.boolean().optional()
  })
  .refine(
    (s) => s.message === undefined || (s.subject ?? s.preview ?? s.text ?? s.blocks) === undefined,
    rule('expected either "message" or what it says ("subject", "text", "blocks"), not both')
  )
  .refine((s) => s.text === undefined || s.blocks === undefined, rule('expected either "text" or "blocks", not both'));
export type EmailStep = z.infer<typeof emailSchema>;

const called = (step: EmailStep): string => step.name || step.subject || step.message || step.aim || '';

export const email: StepKind<EmailStep> = {
  does: 'send one email',
  reads: readsNothing,
  reaches: 'email',
  lacks: lacksNothing,
  create: (key) => ({ key, kind: 'email', subject: '', text: '' }),
  lanes: noLanes,
  run: (step, here, context) => send('email', step, here, context),
  card: (step) => ({
    title: called(step) || 'Email',
    line: step.subject || step.message || 'no subject yet'
  }),
  tell: (step) => `They get the email ${quote(called(step) || 'without a subject')}.`,
  problems: (step, known, say) => {
    const { thread } = step;
    if (thread !== undefined && !known.earlier.some((s) => s.kind === 'email' && s.key === thread))
      say(['thread'], `found "${thread}", expected the key of an email that stands before this one`);
    sendingHours('email', step, known, say);
  },
  repoint: (step, renamed) => {
    if (step.thread !== undefined) step.thread = renamed(step.thread);
  },
  carried: { words: { preview: 'preview text', replyTo: 'reply address' } },
  lasts: atOnce,
  done: 'sent',
  figure: (f) =>
    f.retrying
      ? `${number(f.retrying)} tried again`
      : `${number(f.done)} sent${f.done ? `, ${percent(f.opened / f.done, 0)} open` : ''}`
};
