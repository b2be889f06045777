/** listen: wait for the first of several things, at most so long. Rules: docs/journey-language.md, "listen". */
import { z } from 'zod';
import { compileCondition, lastMade, type Asked, type Test } from '../condition/evaluate.ts';
import { compileFilter, type HappeningName, type Matcher } from '../condition/happening.ts';
import { happeningOrConditionSchema, isHappening } from '../condition/schema.ts';
import type { Instruction } from '../walk/plan.ts';
import { durationSchema } from '../journey/values.ts';
import type { Happening } from '../person/happening.ts';
import { durationShort, durationWords, number } from '../tell/words.ts';
import { duration, rulerLength, type Duration } from '../time/duration.ts';
import type { Walk } from '../walk/walk.ts';
import {
  common,
  decided,
  lacksNothing,
  opened,
  type Outcome,
  readsNothing,
  type StepContext,
  type StepKind,
  take
} from './base.ts';
import { labelledLane } from './labelled.ts';
import { standing } from './standing.ts';

export const listenSchema = z.strictObject({
  ...common,
  kind: z.literal('listen'),
  for: z.array(labelledLane({ when: happeningOrConditionSchema })).min(1),
  limit: durationSchema,
  otherwise: labelledLane({})
});
export type ListenStep = z.infer<typeof listenSchema>;

/** One thing that is listened for: a happening that is matched, or a condition that is asked. */
interface HeardFor {
  match: Matcher | null;
  test: Test | null;
  name: HappeningName | null;
  /** The message or task whose happenings count, and whose journey's. */
  of: string | null;
  journey: string;
}

interface Prepared {
  entries: HeardFor[];
  limit: Duration;
}

function prepare(step: ListenStep, own: string): Prepared {
  return {
    limit: duration(step.limit),
    entries: step.for.map(({ when }): HeardFor => {
      if (!isHappening(when))
        return { match: null, test: compileCondition(when, own), name: null, of: null, journey: own };
      const journey = when.of === undefined ? own : (when.journey ?? own);
      return { match: compileFilter(when, own), test: null, name: when.happening, of: when.of ?? null, journey };
    })
  };
}

/** Of what has happened, the earliest that meets an entry with `of`; at one instant, the entry listed first. */
function lookBack(entries: HeardFor[], { person, walk, zone }: StepContext): { lane: number; record: number } | null {
  let best: { lane: number; record: number; at: number } | null = null;
  entries.forEach((entry, lane) => {
    if (!entry.match || entry.of === null || !entry.name) return;
    const since = lastMade(person, entry.name, entry.journey, entry.of, entry.journey === walk.journey ? walk : null);
    if (since < 0) return;
    for (const h of person.reactions) {
      const record = h.record ?? 0;
      if (record < since || walk.used?.includes(record) || !entry.match(h, walk, zone)) continue;
      if (!best || h.at < best.at) best = { lane, record, at: h.at };
      break;
    }
  });
  return best;
}

/** The lane that a happening leads a listening walk to, or a condition that has come true; `null` while it goes on listening. */
function heard(
  here: Instruction,
  h: Happening,
  asked: Asked & { walk: Walk }
): { lane: number; record: number | null } | null {
  const { entries } = here.prepared as Prepared;
  const { walk } = asked;
  for (const [lane, entry] of entries.entries()) {
    if (entry.test) {
      if (entry.test(asked)) return { lane, record: null };
      continue;
    }
    // What the walk itself caused is nothing new, and what a listen has taken is used up.
    if (entry.of === null && h.cause === walk.id) continue;
    if (h.record !== undefined && walk.used?.includes(h.record)) continue;
    if (entry.match?.(h, walk, asked.zone)) return { lane, record: h.record ?? null };
  }
  return null;
}

/** Takes a lane of a listen, and uses up what led there. */
function takeHeard(step: ListenStep, here: Instruction, walk: Walk, lane: number, record: number | null): Outcome {
  if (record !== null) (walk.used ??= []).push(record);
  return take(step.key, here, lane, step.for[lane]?.label ?? step.otherwise.label);
}

/** The lane for those who were not heard of in time. */
const takeOtherwise = (step: ListenStep, here: Instruction): Outcome =>
  take(step.key, here, step.for.length, step.otherwise.label);

/** How long it listens, in ms of the ruler. */
const limitOf = (step: ListenStep): number => rulerLength(duration(step.limit));

export const listen: StepKind<ListenStep> = {
  does: 'wait for the first of several things',
  reads: readsNothing,
  reaches: null,
  lacks: lacksNothing,
  create: (key) => ({
    key,
    kind: 'listen',
    for: [{ label: 'has the tag', when: { tag: '' }, lane: [] }],
    limit: 'P3D',
    otherwise: { label: 'not in time', lane: [] }
  }),
  lanes: (step) => [
    ...step.for.map((lane, i) => ({
      ...opened(lane, ['for', i], null, lane.when),
      after: { min: 0, max: limitOf(step) }
    })),
    {
      ...opened(step.otherwise, ['otherwise'], `no answer within ${durationWords(step.limit)}`),
      after: { min: limitOf(step), max: limitOf(step) }
    }
  ],
  prepare,
  run(step, here, context) {
    const { entries, limit } = here.prepared as Prepared;
    const { person, walk, at, zone, around } = context;
    const found = lookBack(entries, context);
    if (found) return takeHeard(step, here, walk, found.lane, found.record);
    const asked: Asked = { person, walk, at, zone, workspace: around.workspace };
    const holds = entries.findIndex((e) => e.test?.(asked));
    if (holds >= 0) return takeHeard(step, here, walk, holds, null);
    const nothing = entries.every(
      (e) =>
        e.of !== null &&
        e.name !== null &&
        e.journey === walk.journey &&
        lastMade(person, e.name, e.journey, e.of, walk) < 0
    );
    if (nothing) return takeOtherwise(step, here);
    return { effects: [], move: { stand: standing('listen', limit, context) } };
  },
  card: (step) => ({ title: step.name || 'Listen', line: `at most ${durationShort(step.limit)}` }),
  tell: (step) =>
    `${step.name ? `${step.name}: we` : 'We'} wait for the first of these, at most ${durationWords(step.limit)}.`,
  hears: (step, here, h, context) => {
    const asked = { ...context, workspace: context.around.workspace };
    const taken = heard(here, h, asked);
    return taken && { ...takeHeard(step, here, context.walk, taken.lane, taken.record), used: taken.record !== null };
  },
  due: (step, here) => takeOtherwise(step, here),
  carried: { not: ['for', 'otherwise'] },
  lasts: (step) => ({ min: 0, max: limitOf(step) }),
  done: null,
  figure: (f) => (f.standing ? `${number(f.standing)} listen` : decided(f))
};
