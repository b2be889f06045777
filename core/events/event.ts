/**
 * Events from outside: CloudEvents 1.0 JSON whose type names a happening, an entry by hand or a change of facts. Read the
 * same by the replay's files and by the API. Rules: docs/journey-language.md, "Replay".
 */
import { z } from 'zod';
import { isOfType } from '../condition/comparison.ts';
import type { FieldType } from '../person/values.ts';
import { channel, HAPPENING_NAMES, MESSAGE_HAPPENINGS } from '../condition/happening.ts';
import { found, schemaProblems, type Path } from '../journey/problems.ts';
import { parseAmount } from '../person/amount.ts';
import type { Happening } from '../person/happening.ts';
import type { Subject } from '../person/subject.ts';
import type { Input } from '../person/world.ts';
import type { StepName } from '../steps/index.ts';
import { recordOf } from '../text/record.ts';
import { isZone } from '../time/civil.ts';
import { parseInstant } from '../time/instant.ts';

const instant = z.string().refine((t) => parseInstant(t) !== null, {
  error: 'expected an instant with a zone, such as "2027-03-01T09:00:00Z"'
});
export const cloudEvent = z.strictObject({
  specversion: z.literal('1.0'),
  id: z.string().min(1),
  source: z.string().min(1),
  type: z.string(),
  time: instant,
  subject: z.string(),
  datacontenttype: z.string().optional(),
  dataschema: z.string().optional(),
  data: z.record(z.string(), z.unknown()).optional()
});

const amount = z.union([z.number(), z.string()]).refine((v) => parseAmount(v) !== null, {
  error: 'expected a decimal with at most 4 places'
});
const line = z.strictObject({
  sku: z.string(),
  name: z.string().optional(),
  category: z.string().optional(),
  price: amount.optional(),
  quantity: z.number().int().min(0).optional()
});
export const aboutMessage = z
  .strictObject({
    of: z.string().optional(),
    journey: z.string().optional(),
    channel: channel.optional(),
    link: z.string().optional(),
    text: z.string().optional(),
    hard: z.boolean().optional(),
    machine: z.boolean().optional()
  })
  .refine((d) => d.of !== undefined || d.channel !== undefined, {
    error: 'expected "of" (which message) or "channel"'
  });
export const shapes = {
  purchased: z.strictObject({
    order: z.string(),
    amount,
    coupon: z.string().optional(),
    cart: z.string().optional(),
    items: z.array(line)
  }),
  refunded: z.strictObject({ order: z.string(), amount: amount.optional(), items: z.array(line).optional() }),
  cart_left: z.strictObject({ cart: z.string(), amount, items: z.array(line), coupon: z.string().optional() }),
  form_sent: z.strictObject({ form: z.string(), answers: recordOf(z.json()).optional() }),
  page_seen: z.strictObject({ url: z.string() }),
  task_done: z.strictObject({ of: z.string(), journey: z.string().optional(), outcome: z.string().optional() }),
  custom: z.strictObject({
    name: z.string(),
    ref: z.string().optional(),
    data: recordOf(z.json()).optional()
  })
};

const value = z.union([z.string(), z.number(), z.boolean(), z.null(), z.array(z.string())]);
const consent = z.enum(['given', 'pending', 'withdrawn']).nullable();
const names = z.array(z.string()).optional();
export const setData = z.strictObject({
  fields: recordOf(value).optional(),
  addTags: names,
  removeTags: names,
  addLists: names,
  removeLists: names,
  consent: z.strictObject({ email: consent.optional(), sms: consent.optional() }).optional(),
  by: z.enum(['person', 'colleague']).optional()
});
export const enterData = z.strictObject({ journey: z.string(), by: z.enum(['hand', 'api']).optional() });

/** What an event is held against. */
export interface EventsKnown {
  /** Keys of the journeys there are. */
  journeys: { has(key: string): boolean };
  /** Kinds of the steps by key, by journey; absent: not checked. */
  steps?: ReadonlyMap<string, ReadonlyMap<string, StepName>>;
  /** Types of declared fields. */
  types?: ReadonlyMap<string, FieldType>;
}

/** Happenings that follow from facts: never told from outside. */
const FOLLOWS = new Set<string>(
  HAPPENING_NAMES.filter(
    (n) => n === 'sent' || !((MESSAGE_HAPPENINGS as readonly string[]).includes(n) || Object.hasOwn(shapes, n))
  )
);

export type Say = (path: Path, message: string) => void;

/** An event, read: who says it, whom and when it is about, and what it is. */
export interface ReadEvent {
  source: string;
  id: string;
  subject: string;
  /** UTC ms. */
  at: number;
  input: Input;
  /** The step whose message or task it is about; its walk is found when it is handled. */
  of?: Subject;
}

/** Reads the envelope; says what is wrong with it, and gives `null` then. */
export function readEnvelope(json: unknown, say: Say): z.infer<typeof cloudEvent> | null {
  const read = cloudEvent.safeParse(json);
  if (read.success) return read.data;
  for (const p of schemaProblems(read.error, json)) say(p.path, p.message);
  return null;
}

/** Reads what an envelope holds; says all that is wrong with it, and gives `null` then. */
export function readEvent(event: z.infer<typeof cloudEvent>, known: EventsKnown, say: Say): ReadEvent | null {
  let wrong = false;
  const at = parseInstant(event.time) ?? 0;
  const made = inputOf(event.type, at, event.data ?? {}, known, (path, message) => {
    wrong = true;
    say(path, message);
  });
  const { source, id, subject } = event;
  return made && !wrong ? { source, id, subject, at, ...made } : null;
}

function inputOf(
  type: string,
  at: number,
  data: Record<string, unknown>,
  known: EventsKnown,
  say: Say
): { input: Input; of?: Subject } | null {
  const name = type.startsWith('ambulo.') ? type.slice('ambulo.'.length) : '';
  const read = <T>(schema: z.ZodType<T>): T | null => {
    const result = schema.safeParse(data);
    if (result.success) return result.data;
    for (const p of schemaProblems(result.error, data)) say(['data', ...p.path], p.message);
    return null;
  };
  const journey = (key: string | undefined, path: Path): void => {
    if (key !== undefined && !known.journeys.has(key))
      say(path, `found ${found(key)}, expected the key of a journey that was given`);
  };
  if (name === 'enter') {
    const entered = read(enterData);
    if (!entered) return null;
    journey(entered.journey, ['data', 'journey']);
    return { input: { kind: 'enter', journey: entered.journey, by: entered.by ?? 'hand' } };
  }
  if (name === 'set') {
    const set = read(setData);
    if (!set) return null;
    for (const [field, v] of Object.entries(set.fields ?? {})) checkField(field, v, known, say);
    return { input: { kind: 'set', ...set } };
  }
  const message = (MESSAGE_HAPPENINGS as readonly string[]).includes(name) && name !== 'sent';
  if (message || name === 'task_done') {
    const about = message ? read(aboutMessage) : read(shapes.task_done);
    if (!about) return null;
    const { of, journey: whose, ...rest } = about;
    journey(whose, ['data', 'journey']);
    const kinds: StepName[] = message ? ['email', 'sms'] : ['task'];
    if (of !== undefined && known.steps && !hasStep(known.steps, of, whose, kinds)) {
      say(
        ['data', 'of'],
        `found ${found(of)}, expected the key of a ${message ? 'message' : 'task'} step of a journey that was given`
      );
    }
    const subject = of === undefined ? {} : { of: { step: of, ...(whose === undefined ? {} : { journey: whose }) } };
    return { input: { kind: 'happening', happening: { name, at, ...rest } }, ...subject };
  }
  if (Object.hasOwn(shapes, name)) {
    const shape = read(shapes[name as Exclude<keyof typeof shapes, 'task_done'>] as z.ZodType<Record<string, unknown>>);
    return shape && { input: { kind: 'happening', happening: happeningOf(name, at, shape) } };
  }
  const why = FOLLOWS.has(name)
    ? 'a happening from outside: this one follows from facts'
    : 'the type of a happening, "ambulo.enter" or "ambulo.set"';
  say(['type'], `found ${found(type)}, expected ${why}`);
  return null;
}

/** A happening from its data: a form's answers and a custom happening's data are what filters compare with. */
function happeningOf(name: string, at: number, shape: Record<string, unknown>): Happening {
  const { answers, name: custom, ...rest } = shape;
  return {
    name,
    at,
    ...(rest as Partial<Happening>),
    ...(answers === undefined ? {} : { data: answers as Record<string, unknown> }),
    ...(custom === undefined ? {} : { custom: custom as string })
  };
}

/** Whether a step of one of these kinds is there: in one journey, or in any. A journey that is not there is another problem. */
function hasStep(
  steps: NonNullable<EventsKnown['steps']>,
  step: string,
  journey: string | undefined,
  kinds: readonly StepName[]
): boolean {
  const held = journey === undefined ? [...steps.values()] : [steps.get(journey)];
  return held.some((of) => !of || kinds.some((kind) => of.get(step) === kind));
}

function checkField(field: string, v: unknown, known: EventsKnown, say: Say): void {
  if (field === '') say(['data', 'fields', field], 'found no name, expected the name of a field');
  if (v === null) return;
  const type = known.types?.get(field);
  if (type && !isOfType(v, type)) say(['data', 'fields', field], `found ${found(v)}, expected a value of type ${type}`);
  else if (field === 'zone' && !(typeof v === 'string' && isZone(v)))
    say(['data', 'fields', field], `found ${found(v)}, expected a time zone name such as "Europe/Dublin"`);
}
