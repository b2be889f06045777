/** loop: go back to an earlier step, at most so often. */
import { z } from 'zod';
import {
  atOnce,
  common,
  counted,
  goOn,
  keySchema,
  lacksNothing,
  noLanes,
  readsNothing,
  type StepKind
} from './base.ts';
import { bare } from '../bare.ts';
import { ordinal } from '../tell/words.ts';

/** "once", "3 times". */
const often = (n: number): string => (n === 1 ? 'once' : `${n} times`);

export const loopSchema = z.strictObject({
  ...common,
  kind: z.literal('loop'),
  to: keySchema,
  atMost: z.number().int().min(1).optional()
});
export type LoopStep = z.infer<typeof loopSchema>;

export const loop: StepKind<LoopStep> = {
  does: 'go back to an earlier step',
  reads: readsNothing,
  reaches: null,
  lacks: lacksNothing,
  create: (key) => ({ key, kind: 'loop', to: key, atMost: 3 }),
  lanes: noLanes,
  run(step, here, { plan, walk }) {
    const times = walk.loops?.[step.key] ?? 0;
    const target = plan.byKey.get(step.to);
    if (!target || (step.atMost !== undefined && times >= step.atMost)) return goOn(here);
    const loops = (walk.loops ??= bare());
    // Inner loops, which go back no further than behind this one's target, count anew.
    for (const inner of plan.loops) if (inner.target > target.place) Reflect.deleteProperty(loops, inner.key);
    loops[step.key] = times + 1;
    return {
      effects: [{ do: 'note', what: 'looped', detail: { to: step.to, times: times + 1 } }],
      move: { go: target.index }
    };
  },
  card: (step) => ({
    title: step.name || `Back to ${step.to}`,
    line: step.atMost ? `at most ${often(step.atMost)}` : 'again and again'
  }),
  tell: (step, name) => `They go back to ${name(step.to)}${step.atMost ? `, at most ${often(step.atMost)}` : ''}.`,
  problems: (step, { before }, say) => {
    if (!before.some((s) => s.key === step.to))
      say(
        ['to'],
        `found "${step.to}", expected the key of an earlier step on this lane, or of one that holds it or stands before that`
      );
  },
  backTo: (step) => step.to,
  repoint: (step, renamed) => void (step.to = renamed(step.to)),
  carried: { words: { to: 'goes to', atMost: 'at most' } },
  lasts: atOnce,
  done: 'looped',
  figure: counted('went back'),
  trail: { looped: (d) => ['Went back', `to ${String(d['to'])}, for the ${ordinal(Number(d['times']))} time`] }
};
