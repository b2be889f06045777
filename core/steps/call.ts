/** call: post a signed event to a web address. */
import { z } from 'zod';
import { atOnce, switchable, counted, errandWords, goOn, noLanes, readsNothing, type StepKind } from './base.ts';
import { LONGEST, plainText } from '../text/text.ts';

export const callSchema = z.strictObject({
  ...switchable,
  kind: z.literal('call'),
  url: z.url({ protocol: /^https?$/, error: 'expected a web address such as "https://quillmoor.example/hook"' }),
  data: z.record(plainText(LONGEST.name), z.json()).optional()
});
export type CallStep = z.infer<typeof callSchema>;

/** An address that can be nobody's (RFC 2606) stands in until one is chosen. */
const NOT_CHOSEN = 'https://example.invalid/';

export const call: StepKind<CallStep> = {
  does: 'post an event to a web address',
  reads: readsNothing,
  reaches: 'other',
  lacks: ({ url }) =>
    url === NOT_CHOSEN ? ['This step has no web address chosen.', 'Say where the event is posted to.'] : null,
  create: (key) => ({ key, kind: 'call', url: NOT_CHOSEN }),
  lanes: noLanes,
  run: (_step, here) => goOn(here, { do: 'errand', errand: 'call', what: 'called' }),
  card: (step) => ({ title: step.name || 'Call', line: step.url === NOT_CHOSEN ? 'no address yet' : step.url }),
  tell: (step) => `An event is posted to ${step.url}.`,
  lasts: atOnce,
  done: 'called',
  figure: counted('called'),
  trail: { called: (d) => ['Called a web address', errandWords(d)] }
};
