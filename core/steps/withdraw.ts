/** withdraw: end the person's walks in other journeys. */
import { z } from 'zod';
import { otherJourney } from './known.ts';
import { and } from '../tell/words.ts';
import {
  listed,
  atOnce,
  switchable,
  counted,
  goOn,
  keySchema,
  lacksNothing,
  noLanes,
  readsNothing,
  type StepKind
} from './base.ts';

export const withdrawSchema = z.strictObject({
  ...switchable,
  kind: z.literal('withdraw'),
  from: z.union([z.literal('others'), z.array(keySchema).min(1)])
});
export type WithdrawStep = z.infer<typeof withdrawSchema>;

export const withdraw: StepKind<WithdrawStep> = {
  does: 'take out of other journeys',
  reads: readsNothing,
  reaches: null,
  lacks: lacksNothing,
  create: (key) => ({ key, kind: 'withdraw', from: 'others' }),
  lanes: noLanes,
  run: (step, here) => goOn(here, { do: 'withdraw', from: step.from }),
  card: (step) => ({
    title: step.name || 'Withdraw',
    line: step.from === 'others' ? 'from all other journeys' : step.from.join(', ')
  }),
  tell: (step) =>
    `They leave ${step.from === 'others' ? 'all other journeys' : `the journeys ${and(step.from)}`}, where they are in them.`,
  problems: ({ from }, known, say) => {
    if (from !== 'others') from.forEach((key, i) => otherJourney(key, ['from', i], known, say));
  },
  lasts: atOnce,
  done: 'withdrew',
  figure: counted('taken out'),
  trail: { withdrew: (d) => ['Taken out of other journeys', listed(d['from']) || 'they were in none'] }
};
