/**
 * Requests: what the inbox holds beside what happened. One shape, shared by every door that stores one and by the engine that
 * carries it out: facts to set, entries by hand, looks, moves, endings. What does not have it is refused at the door; what
 * stands in the inbox all the same is set aside with its person, and says which key is wrong.
 */
import { z } from 'zod';
import { schemaProblems, pathText } from '../../core/journey/problems.ts';
import { recordOf } from '../../core/text/record.ts';
import { JOINING } from '../../core/person/world.ts';
import { CHANNELS } from '../../core/person/values.ts';

const journey = z.string().min(1);
const value = z.union([z.string(), z.number(), z.boolean(), z.array(z.string())]).nullable();
const names = z.array(z.string());
const state = z.enum(['given', 'pending', 'withdrawn']).nullable();

export const requestSchema = z.discriminatedUnion('kind', [
  z.strictObject({
    kind: z.literal('set'),
    fields: recordOf(value).optional(),
    addTags: names.optional(),
    removeTags: names.optional(),
    addLists: names.optional(),
    removeLists: names.optional(),
    /** Points added, by score. */
    scores: recordOf(z.number()).optional(),
    consent: z.partialRecord(z.enum(CHANNELS), state).optional(),
    by: z.enum(['person', 'colleague']).optional(),
    proof: z
      .strictObject({ source: z.string(), wording: z.string().nullable(), address: z.string().optional() })
      .optional()
  }),
  z.strictObject({ kind: z.literal('enter'), journey, by: z.string() }),
  z.strictObject({ kind: z.literal('existing'), journey }),
  z.strictObject({ kind: z.literal('look'), segments: z.enum(JOINING).optional() }),
  z.strictObject({
    kind: z.literal('move'),
    journey,
    /** The journey's number, by which its versions are found. */
    id: z.number().int().optional(),
    version: z.number().int()
  }),
  z.strictObject({ kind: z.literal('end'), journey, walk: z.number().int().optional() }),
  z.strictObject({ kind: z.literal('hurry'), walk: z.number().int(), step: z.string(), by: z.string().optional() }),
  z.strictObject({ kind: z.literal('resumed'), journey })
]);
export type Request = z.infer<typeof requestSchema>;
export type RequestKind = Request['kind'];
/** What is stored of a request of a kind, beside the kind. */
export type RequestData<K extends RequestKind> = Omit<Extract<Request, { kind: K }>, 'kind'>;

const KINDS: ReadonlySet<string> = new Set<RequestKind>([
  'set',
  'enter',
  'existing',
  'look',
  'move',
  'end',
  'hurry',
  'resumed'
]);

/** Whether a row of the inbox is a request; everything else happened. */
export const isRequest = (name: string): name is RequestKind => KINDS.has(name);

/** A request that stands in the inbox and has not its shape. */
export class Unreadable extends Error {}

/** A request as it stands in the inbox. @throws {@link Unreadable}, which says what is wrong with it. */
export function readRequest(name: RequestKind, data: Record<string, unknown>): Request {
  const given = { ...data, kind: name };
  const read = requestSchema.safeParse(given);
  if (read.success) return read.data;
  const wrong = schemaProblems(read.error, given).map((p) => `${pathText(p.path)}: ${p.message}`);
  throw new Unreadable(`what was asked for them (${name}) cannot be read: ${wrong.join('; ')}`);
}

/** The columns of a request's row. */
export const requestRow = <K extends RequestKind>(name: K, data: RequestData<K>): { name: K; data: string } => ({
  name,
  data: JSON.stringify(data)
});
