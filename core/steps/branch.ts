/** branch: the first lane whose condition holds, or the lane for everyone else. */
import { z } from 'zod';
import { conditionSchema } from '../condition/schema.ts';
import { laneSchema } from './lane.ts';
import { common, type StepKind } from './base.ts';

const ruleLane = z.strictObject({ label: z.string(), when: conditionSchema, lane: laneSchema });
const otherwise = z.strictObject({ label: z.string(), lane: laneSchema });

export const branchSchema = z
  .strictObject({
    ...common,
    kind: z.literal('branch'),
    by: z.literal('rules'),
    lanes: z.array(ruleLane).min(1),
    otherwise
  })
  .refine((s) => new Set([...s.lanes.map((l) => l.label), s.otherwise.label]).size === s.lanes.length + 1, {
    error: 'expected every lane of a branch to have a label of its own'
  });

export type BranchStep = z.infer<typeof branchSchema>;

export const branch: StepKind<BranchStep> = {
  does: 'send people down different lanes, by what is true of them',
  create: (key) => ({
    key,
    kind: 'branch',
    by: 'rules',
    lanes: [{ label: 'has the tag', when: { tag: '' }, lane: [] }],
    otherwise: { label: 'everyone else', lane: [] }
  }),
  lanes: (step) => [
    ...step.lanes.map((l, i) => ({ label: l.label, when: l.when, steps: l.lane, path: ['lanes', i] })),
    { label: step.otherwise.label, when: null, steps: step.otherwise.lane, path: ['otherwise'] }
  ],
  run(step, here, { person, walk }) {
    const found = here.tests.findIndex((test) => test(person, walk));
    const taken = found < 0 ? step.lanes.length : found;
    const label = step.lanes[taken]?.label ?? step.otherwise.label;
    return {
      effects: [{ do: 'note', what: 'took', detail: { lane: label } }],
      move: { go: here.lanes[taken] ?? here.next }
    };
  },
  card: (step) => ({
    title: step.name || 'Branch',
    line: `${step.lanes.length + 1} lanes`
  }),
  tell: (step) => (step.name ? `We ask: ${step.name}` : 'We look at what is true of them.')
};
