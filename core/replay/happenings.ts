/** Reading the happenings of a replay: CloudEvents 1.0 JSON, one a line. */
import { z } from 'zod';
import { channel, MESSAGE_HAPPENINGS } from '../condition/schema.ts';
import { pathText, schemaProblems } from '../journey/problems.ts';
import type { PlacedProblem } from '../journey/parse.ts';
import type { Happening } from '../person/happening.ts';
import type { Input } from '../person/run.ts';
import { parseInstant } from '../time/instant.ts';

const instant = z
  .string()
  .refine((t) => parseInstant(t) !== null, { error: 'expected an instant such as "2027-03-01T09:00:00Z"' });
const cloudEvent = z.strictObject({
  specversion: z.literal('1.0'),
  id: z.string().min(1),
  source: z.string().min(1),
  type: z.string(),
  time: instant,
  subject: z.string(),
  datacontenttype: z.string().optional(),
  data: z.record(z.string(), z.unknown()).optional()
});

const amount = z.union([z.number(), z.string().regex(/^-?\d+(\.\d{1,4})?$/)]);
const line = z.strictObject({
  sku: z.string(),
  name: z.string().optional(),
  category: z.string().optional(),
  price: amount.optional(),
  quantity: z.number().optional()
});
const aboutMessage = z.strictObject({
  of: z.string().optional(),
  journey: z.string().optional(),
  channel: channel.optional(),
  link: z.string().optional(),
  text: z.string().optional(),
  hard: z.boolean().optional(),
  machine: z.boolean().optional()
});
const purchase = z.strictObject({
  order: z.string(),
  amount,
  coupon: z.string().optional(),
  cart: z.string().optional(),
  items: z.array(line)
});
const value = z.union([z.string(), z.number(), z.boolean(), z.null()]);
const consent = z.enum(['given', 'pending', 'withdrawn']).nullable();
const setData = z.strictObject({
  fields: z.record(z.string(), value).optional(),
  addTags: z.array(z.string()).optional(),
  removeTags: z.array(z.string()).optional(),
  addLists: z.array(z.string()).optional(),
  removeLists: z.array(z.string()).optional(),
  consent: z.strictObject({ email: consent.optional(), sms: consent.optional() }).optional()
});
const enterData = z.strictObject({ journey: z.string() });

export interface TimedInput {
  at: number;
  person: string;
  line: number;
  /** The step a message happening names; its walk is found when it is handled. */
  of?: { step: string; journey?: string };
  input: Input;
}

/** Inputs in order of their instants (file order within one), or all that is wrong with the file. */
export function parseHappenings(
  text: string,
  known: { people: Set<string>; journeys: Set<string> }
): { inputs: TimedInput[]; problems: PlacedProblem[] } {
  const problems: PlacedProblem[] = [];
  const inputs: TimedInput[] = [];
  const seen = new Set<string>();
  text
    .replace(/^\uFEFF/, '')
    .split('\n')
    .forEach((raw, i) => {
      if (raw.trim() === '') return;
      const where = i + 1;
      const say = (path: string, message: string): void => void problems.push({ line: where, path, message });
      let json: unknown;
      try {
        json = JSON.parse(raw);
      } catch {
        return say('the line', 'found text that is not JSON, expected one happening');
      }
      const read = cloudEvent.safeParse(json);
      if (!read.success) {
        for (const p of schemaProblems(read.error, json)) say(pathText(p.path), p.message);
        return;
      }
      const event = read.data;
      const identity = JSON.stringify([event.source, event.id]);
      if (seen.has(identity)) return;
      seen.add(identity);
      const at = parseInstant(event.time) ?? 0;
      if (!known.people.has(event.subject))
        say('subject', `found "${event.subject}", expected the id of a person in the CSV`);
      const result = inputOf(event.type, at, event.data ?? {}, known.journeys);
      if ('problems' in result) for (const p of result.problems) say(p.path, p.message);
      else inputs.push({ at, person: event.subject, line: where, ...result });
    });
  return { inputs: inputs.sort((a, b) => a.at - b.at || a.line - b.line), problems };
}

type Made = { input: Input; of?: TimedInput['of'] } | { problems: { path: string; message: string }[] };

function inputOf(type: string, at: number, data: Record<string, unknown>, journeys: Set<string>): Made {
  const name = type.replace(/^ambulo\./, '');
  const read = <T>(schema: z.ZodType<T>): { data: T } | { problems: { path: string; message: string }[] } => {
    const result = schema.safeParse(data);
    if (result.success) return { data: result.data };
    return {
      problems: schemaProblems(result.error, data).map((p) => ({
        path: pathText(['data', ...p.path]),
        message: p.message
      }))
    };
  };
  if (type === 'ambulo.enter') {
    const r = read(enterData);
    if ('problems' in r) return r;
    if (!journeys.has(r.data.journey))
      return {
        problems: [
          { path: 'data.journey', message: `found "${r.data.journey}", expected the key of a journey that was given` }
        ]
      };
    return { input: { kind: 'enter', journey: r.data.journey, by: 'hand' } };
  }
  if (type === 'ambulo.set') {
    const r = read(setData);
    return 'problems' in r ? r : { input: { kind: 'set', ...r.data } };
  }
  if (type === 'ambulo.purchased') {
    const r = read(purchase);
    return 'problems' in r ? r : { input: { kind: 'happening', happening: { name, at, ...r.data } } };
  }
  const known =
    (MESSAGE_HAPPENINGS as readonly string[]).includes(name) && name !== 'sent' && type.startsWith('ambulo.');
  if (!known)
    return {
      problems: [
        {
          path: 'type',
          message: `found "${type}", expected a type that is supported here and is not a consequence of facts`
        }
      ]
    };
  const r = read(aboutMessage);
  if ('problems' in r) return r;
  const { of, journey, ...rest } = r.data;
  if (of === undefined && rest.channel === undefined) {
    return { problems: [{ path: 'data', message: 'found neither "of" nor "channel", expected one of them' }] };
  }
  const happening: Happening = { name, at, ...rest };
  return {
    input: { kind: 'happening', happening },
    ...(of === undefined ? {} : { of: { step: of, ...(journey ? { journey } : {}) } })
  };
}
