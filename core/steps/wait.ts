/** wait: stand still for a length of time, or until an instant. Rules: docs/journey-language.md, "wait". */
import { z } from 'zod';
import { rule } from '../journey/rule.ts';
import { durationSchema, offsetSchema } from '../journey/values.ts';
import type { Instruction } from '../walk/plan.ts';
import type { PersonState } from '../person/state.ts';
import { durationWords, number } from '../tell/words.ts';
import { addDuration, fromWall, parseDate } from '../time/civil.ts';
import { DAY, duration, parseOffset, rulerLength, type Duration } from '../time/duration.ts';
import { clockTime, nextOpening, timeOfDay, WEEKDAYS, zoneOrPerson } from '../time/hours.ts';
import { fieldInstant, weekdayInstant } from '../time/until.ts';
import type { Walk } from '../walk/walk.ts';
import { common, goOn, lacksNothing, noLanes, type Outcome, type StepContext, type StepKind } from './base.ts';
import { dateField, opens } from './known.ts';
import { stepHours } from './send.ts';
import { LONGEST, naming } from '../text/text.ts';
import { bare } from '../bare.ts';

const zone = { zone: zoneOrPerson.optional() };

export const untilSchema = z.union([
  z.strictObject({ time: clockTime, ...zone }),
  z.strictObject({ weekdays: z.array(z.enum(WEEKDAYS)).min(1), time: clockTime, ...zone }),
  z.strictObject({ date: z.iso.date(), time: clockTime.optional(), ...zone }),
  z.strictObject({
    field: naming(LONGEST.name).min(1, { error: 'expected the name of a field' }),
    offset: offsetSchema.optional(),
    time: clockTime.optional(),
    past: z.enum(['go-on', 'skip', 'leave']).optional(),
    ...zone
  })
]);
export type Until = z.infer<typeof untilSchema>;

export const waitSchema = z
  .strictObject({
    ...common,
    kind: z.literal('wait'),
    for: durationSchema.optional(),
    until: untilSchema.optional(),
    hours: stepHours
  })
  .refine((s) => (s.for === undefined) !== (s.until === undefined), rule('expected exactly one of "for" and "until"'));
export type WaitStep = z.infer<typeof waitSchema>;

interface Prepared {
  length: Duration | null;
  /** ms after midnight; `null` where the document names none. */
  time: number | null;
  days: boolean[] | null;
  offset: Duration | null;
}

const prepare = ({ for: length, until }: WaitStep): Prepared => ({
  length: length === undefined ? null : duration(length),
  time: until?.time === undefined ? null : timeOfDay(until.time),
  days: until && 'weekdays' in until ? WEEKDAYS.map((d) => until.weekdays.includes(d)) : null,
  offset: until && 'field' in until && until.offset !== undefined ? parseOffset(until.offset) : null
});

/** The zone an `until` counts in: one of its own, or the one that holds for the person. */
const zoneOfUntil = (until: Until, own: string): string =>
  until.zone === undefined || until.zone === 'person' ? own : until.zone;

/** The instant a wait names, before its hours; `null` where a field has none. */
function target(step: WaitStep, prepared: Prepared, walk: Walk, person: PersonState, at: number, own: string) {
  const { until } = step;
  if (!until) return prepared.length ? addDuration(own, at, prepared.length) : at;
  const there = zoneOfUntil(until, own);
  if ('field' in until) return fieldInstant(person.fields.get(until.field), there, prepared.time, prepared.offset);
  if ('date' in until) return fromWall(there, (parseDate(until.date) ?? 0) + (prepared.time ?? 0));
  const passedNow = walk.passed?.[step.key] === at;
  return weekdayInstant(prepared.days, prepared.time ?? 0, there, at, passedNow);
}

/** On behind a wait; one for a time of day is not to be met again at this very instant. */
function passed({ key, until }: WaitStep, here: Instruction, { plan, walk, at }: StepContext): Outcome {
  if (plan.loops.length && until && !('field' in until) && !('date' in until)) (walk.passed ??= bare())[key] = at;
  return goOn(here);
}

/** What a wait comes to when someone arrives at it, or when what it follows has changed. */
function waitOutcome(step: WaitStep, here: Instruction, context: StepContext): Outcome {
  const { at, zone: own, walk, person } = context;
  const prepared = here.prepared as Prepared;
  const instant = target(step, prepared, walk, person, at, own);
  const past = step.until && 'field' in step.until ? (step.until.past ?? 'go-on') : 'go-on';
  if (instant === null || instant < at) {
    if (past === 'leave') return { effects: [], move: { leave: 'early', reason: 'past' } };
    if (past === 'skip') {
      const skipped = here.sibling === null ? undefined : context.plan.instructions[here.sibling];
      if (!skipped) return goOn(here);
      return {
        effects: [{ do: 'note', what: 'skipped', detail: { reason: 'past' }, step: skipped.step.key }],
        move: { go: skipped.next }
      };
    }
  }
  const from = Math.max(instant ?? at, at);
  const hours = step.hours && step.hours !== 'any' ? step.hours : null;
  const until = hours ? (nextOpening(hours, own, from) ?? from) : from;
  return until <= at ? passed(step, here, context) : { effects: [], move: { stand: { kind: 'wait', until } } };
}

const DAY_WORDS: Record<(typeof WEEKDAYS)[number], string> = {
  mon: 'Mon',
  tue: 'Tue',
  wed: 'Wed',
  thu: 'Thu',
  fri: 'Fri',
  sat: 'Sat',
  sun: 'Sun'
};

/** "until Fri 16:00", "until 10 days before visit". */
export function untilWords(until: Until): string {
  const time = until.time ? ` ${until.time}` : '';
  if ('field' in until) {
    const offset = until.offset ?? '';
    const zero = /^[+-]?P(?:T?0+[A-Z])+$/.test(offset);
    const length =
      offset && !zero
        ? `${durationWords(offset.replace(/^[+-]/, ''))} ${offset.startsWith('-') ? 'before' : 'after'} `
        : '';
    return `until ${length}${until.field}${time}`;
  }
  if ('date' in until) return `until ${until.date}${time}`;
  if ('weekdays' in until) return `until ${until.weekdays.map((d) => DAY_WORDS[d]).join(' or ')}${time}`;
  return `until${time}`;
}

/** "2 days", "until Fri 16:00". */
export const waitWords = (step: WaitStep): string =>
  step.until ? untilWords(step.until) : durationWords(step.for ?? '');

/** How long a time of day or a weekday can be away, in ms; how far a date is nobody knows by the plan alone: 0. */
function longest(until: Until): number {
  if ('field' in until || 'date' in until) return 0;
  if (!('weekdays' in until)) return DAY;
  const days = WEEKDAYS.flatMap((d, i) => (until.weekdays.includes(d) ? [i] : []));
  return DAY * Math.max(...days.map((d, i) => (days[i + 1] ?? (days[0] ?? 0) + 7) - d));
}

export const wait: StepKind<WaitStep> = {
  does: 'stand still for a while',
  reads: (step, facts) => {
    if (step.until && 'field' in step.until) facts.fields.add(step.until.field);
  },
  reaches: null,
  lacks: lacksNothing,
  create: (key) => ({ key, kind: 'wait', for: 'P1D' }),
  lanes: noLanes,
  prepare,
  run: waitOutcome,
  card: (step) => ({ title: step.name || 'Wait', line: step.until ? untilWords(step.until) : (step.for ?? '') }),
  tell: (step) => {
    const hours =
      step.hours && step.hours !== 'any' ? `, then for hours from ${step.hours.from} to ${step.hours.to}` : '';
    return `Wait ${waitWords(step)}${hours}.`;
  },
  problems: (step, { types }, say) => {
    if (step.until && 'field' in step.until) dateField(step.until.field, ['until', 'field'], types, say);
    if (step.hours && step.hours !== 'any') opens(step.hours, null, ['hours'], say);
  },
  due: passed,
  hears: (step, here, h, context) => {
    const follows = step.until && 'field' in step.until && (h.field === step.until.field || h.field === 'zone');
    if (!follows || h.name !== 'field_changed') return null;
    const outcome = waitOutcome(step, here, context);
    const same = 'stand' in outcome.move && outcome.move.stand.until === context.walk.standing?.until;
    return same ? null : { ...outcome, used: false };
  },
  carried: { words: { for: 'waits' } },
  lasts: (step) => {
    if (step.until) return { min: 0, max: longest(step.until) };
    const length = rulerLength(duration(step.for ?? 'P1D'));
    return { min: length, max: length };
  },
  done: null,
  figure: ({ standing }) => `${number(standing)} wait`
};
