/** branch: lanes by what is true of the person: by rules, by bands of a number, by values of a field. */
import { z } from 'zod';
import { hasValue, isOfType, MOST_VALUES, sameValue } from '../condition/comparison.ts';
import { compileCondition, orderQuery, type Asked, type Test } from '../condition/evaluate.ts';
import { conditionSchema, ordered } from '../condition/schema.ts';
import { found } from '../journey/problems.ts';
import { rule } from '../journey/rule.ts';
import { parseAmount, UNIT } from '../person/amount.ts';
import { scoreNow } from '../engagement/scores.ts';
import { atOnce, common, decided, lacksNothing, opened, type StepContext, type StepKind, take } from './base.ts';
import { labelledLane } from './labelled.ts';
import { LONGEST, naming, plainText } from '../text/text.ts';

const named = naming(LONGEST.name).min(1, { error: 'expected the name of a field' });
const byRules = z.strictObject({
  ...common,
  kind: z.literal('branch'),
  by: z.literal('rules'),
  lanes: z.array(labelledLane({ when: conditionSchema })).min(1),
  otherwise: labelledLane({})
});
const byBands = z.strictObject({
  ...common,
  kind: z.literal('branch'),
  by: z.literal('bands'),
  of: z.union([
    z.strictObject({ field: named }),
    z.strictObject({ score: naming().min(1) }),
    z.strictObject({
      spent: z.literal(true),
      ...ordered
    })
  ]),
  cuts: z
    .array(z.number())
    .min(1)
    .refine((cuts) => cuts.every((c, i) => i === 0 || c > (cuts[i - 1] ?? -Infinity)), {
      error: 'expected numbers that ascend'
    }),
  lanes: z.array(labelledLane({})).min(2),
  none: labelledLane({}).optional()
});
const byValues = z.strictObject({
  ...common,
  kind: z.literal('branch'),
  by: z.literal('values'),
  of: z.strictObject({ field: named }),
  lanes: z
    .array(
      labelledLane({
        values: z
          .array(z.union([plainText(), z.number(), z.boolean()]))
          .min(1)
          .max(MOST_VALUES)
      })
    )
    .min(1),
  otherwise: labelledLane({})
});

export const branchSchema = z
  .discriminatedUnion('by', [byRules, byBands, byValues])
  .refine(
    (s) => s.by !== 'bands' || s.lanes.length === s.cuts.length + 1,
    rule<BandsStep>('expected one more lane than cuts', (s) => Array.isArray(s.lanes) && Array.isArray(s.cuts), [
      'lanes'
    ])
  )
  .refine(
    (s) => s.by !== 'bands' || 'field' in s.of === (s.none !== undefined),
    rule<BandsStep>(
      'expected "none" with a field (for those without a value), and only there',
      (s) => typeof s.of === 'object' && s.of !== null,
      ['none']
    )
  );
export type BranchStep = z.infer<typeof branchSchema>;
type BandsStep = z.infer<typeof byBands>;

type Choose = (context: StepContext, asked: Asked) => number;

/** The number that bands are cut by; amounts in ten-thousandths. `null`: the field has none. */
function measure(of: BandsStep['of']): (asked: Asked) => number | null {
  if ('field' in of)
    return ({ person }) => {
      const value = person.fields.get(of.field);
      return typeof value === 'number' ? value : null;
    };
  if ('score' in of) return ({ person, workspace, at }) => scoreNow(workspace, person, of.score, at);
  const ask = orderQuery(of);
  return (asked) => ask(asked).reduce((sum, units) => sum + units, 0);
}

/** Works out which lane someone takes: its place among the opened lanes. */
function prepare(step: BranchStep, own: string): Choose {
  switch (step.by) {
    case 'rules': {
      const tests: Test[] = step.lanes.map((lane) => compileCondition(lane.when, own));
      return (_context, asked) => {
        const found = tests.findIndex((test) => test(asked));
        return found < 0 ? tests.length : found;
      };
    }
    case 'bands': {
      const value = measure(step.of);
      const cuts = 'spent' in step.of ? step.cuts.map((c) => parseAmount(c) ?? c * UNIT) : step.cuts;
      return (_context, asked) => {
        const found = value(asked);
        if (found === null) return step.lanes.length;
        // Lane i holds cuts[i-1] ≤ value < cuts[i].
        const place = cuts.findIndex((cut) => found < cut);
        return place < 0 ? cuts.length : place;
      };
    }
    case 'values':
      return ({ person }) => {
        const value = person.fields.get(step.of.field);
        if (!hasValue(value)) return step.lanes.length;
        const values = Array.isArray(value) ? value : [value];
        const found = step.lanes.findIndex((lane) => lane.values.some((v) => values.some((own) => sameValue(own, v))));
        return found < 0 ? step.lanes.length : found;
      };
  }
}

/** What a branch looks at, in words. */
function measured(step: BranchStep): string {
  if (step.by === 'rules') return '';
  if ('field' in step.of) return step.of.field;
  return 'score' in step.of ? step.of.score : `what they spent${step.of.since ? ' since they entered' : ''}`;
}

/** "under 50", "50 to under 200", "200 or more". */
export const bandWords = (cuts: number[], i: number): string =>
  i === 0 ? `under ${cuts[0]}` : i === cuts.length ? `${cuts[i - 1]} or more` : `${cuts[i - 1]} to under ${cuts[i]}`;

export const branch: StepKind<BranchStep> = {
  does: 'send people down different lanes, by what is true of them',
  reads: (step, facts) => {
    if (step.by === 'rules') return;
    if ('field' in step.of) facts.fields.add(step.of.field);
    else if ('score' in step.of) facts.scores.add(step.of.score);
    else facts.orders = true;
  },
  reaches: null,
  lacks: lacksNothing,
  create: (key) => ({
    key,
    kind: 'branch',
    by: 'rules',
    lanes: [{ label: 'has the tag', when: { tag: '' }, lane: [] }],
    otherwise: { label: 'everyone else', lane: [] }
  }),
  lanes(step) {
    switch (step.by) {
      case 'rules':
        return [
          ...step.lanes.map((lane, i) => opened(lane, ['lanes', i], null, lane.when)),
          opened(step.otherwise, ['otherwise'], null)
        ];
      case 'bands':
        return [
          ...step.lanes.map((lane, i) => opened(lane, ['lanes', i], `${measured(step)} ${bandWords(step.cuts, i)}`)),
          ...(step.none ? [opened(step.none, ['none'], `no ${measured(step)}`)] : [])
        ];
      case 'values':
        return [
          ...step.lanes.map((lane, i) =>
            opened(lane, ['lanes', i], `${measured(step)} is ${lane.values.join(' or ')}`)
          ),
          opened(step.otherwise, ['otherwise'], null)
        ];
    }
  },
  prepare,
  run(step, here, context) {
    const { person, walk, at, zone, around } = context;
    const choose = here.prepared as Choose;
    const taken = choose(context, { person, walk, at, zone, workspace: around.workspace });
    return take(step.key, here, taken, here.labels[taken] ?? '');
  },
  card: (step) => ({
    title: step.name || (step.by === 'rules' ? 'Branch' : `By ${measured(step)}`),
    line: `${branch.lanes(step).length} lanes`
  }),
  tell: (step) =>
    step.name
      ? `We ask: ${step.name}`
      : step.by === 'rules'
        ? 'We look at what is true of them.'
        : `We look at ${measured(step)}.`,
  problems: (step, { types }, say) => {
    if (step.by === 'rules' || !('field' in step.of)) return;
    const type = types?.get(step.of.field);
    if (!type) return;
    if (step.by === 'bands') {
      if (type !== 'number') say(['of', 'field'], `found "${step.of.field}" of type ${type}, expected a number`);
      return;
    }
    step.lanes.forEach((lane, i) =>
      lane.values.forEach((v, j) => {
        if (!isOfType(v, type)) say(['lanes', i, 'values', j], `found ${found(v)}, expected a value of type ${type}`);
      })
    );
  },
  carried: { not: ['by', 'lanes', 'otherwise', 'none'] },
  lasts: atOnce,
  done: null,
  figure: decided
};
