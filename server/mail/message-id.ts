/**
 * Ids of messages as the outside sees them. They derive from the outbox row, so
 * that every try of one message carries the same; they are signed with the
 * workspace's secret, so that no two workspaces ever give the same id, nobody
 * can make one up, and a report that comes back is known to be about ours.
 */
import { createHmac, timingSafeEqual } from 'node:crypto';

export interface MessageRef {
  person: number;
  message: number;
  /** How often it was sent once more by hand before; every try of one has the same id, a copy has another. */
  copy: number;
}

/** 60 bits: what stands before the @ stays far below the 64 octets a mailbox name may have (RFC 5321, 4.5.3.1.1). */
const mac = (secret: Buffer, text: string): string =>
  createHmac('sha256', secret).update(`message-id/${text}`).digest('hex').slice(0, 15);

/** What a key is of. Errands are notices and questions of consent, answers are texts written by hand, letters are of no journey. */
export type KeyRef =
  | ({ kind: 'message' } & MessageRef)
  | { kind: 'errand'; person: number; errand: number }
  | { kind: 'answer'; person: number; answer: number }
  | { kind: 'letter'; person: number; letter: number };

/*
 * The grammar of keys, in one place: `[e.|a.|l.]PERSON.NUMBER[-COPY].MAC`, numbers in base 36. A message has no letter before it;
 * a copy of it, sent once more by hand, has its number behind a hyphen.
 */
const NUMBER = '[0-9a-z]{1,11}';
const KEY = `(?:[eal]\\.)?${NUMBER}\\.${NUMBER}(?:-[0-9a-z]{1,4})?\\.[0-9a-f]{15}`;
const PARTS = new RegExp(`^(([eal]\\.)?(${NUMBER})\\.(${NUMBER})(?:-([0-9a-z]{1,4}))?)\\.([0-9a-f]{15})$`);
/** Keys of one kind are signed as such, so that none is taken for another. */
const SIGNED: Record<string, { kind: KeyRef['kind']; as: string }> = {
  '': { kind: 'message', as: '' },
  'e.': { kind: 'errand', as: 'errand/' },
  'a.': { kind: 'answer', as: 'answer/' },
  'l.': { kind: 'letter', as: 'letter/' }
};

/** Addresses of ours that name something: `bounce+KEY`, `reply+KEY`, `unsubscribe+KEY`. */
export const OWN_ADDRESS = new RegExp(`^(bounce|reply|unsubscribe)\\+(${KEY})@`, 'i');

/** All that may be keys in a text: what stands before an @ there. The first ten. */
export const keysIn = (text: string): string[] =>
  [...text.matchAll(new RegExp(`(?<![0-9a-z.-])(${KEY})@`, 'gi'))].slice(0, 10).flatMap((m) => m[1] ?? []);

function keyOf(secret: Buffer, prefix: '' | 'e.' | 'a.' | 'l.', name: string): string {
  return `${prefix}${name}.${mac(secret, `${SIGNED[prefix]?.as ?? ''}${name}`)}`;
}

/** The part of an id that names the message: every try of one has the same. */
export const messageKey = (
  secret: Buffer,
  { person, message, copy = 0 }: Omit<MessageRef, 'copy'> & Partial<MessageRef>
): string => keyOf(secret, '', `${person.toString(36)}.${message.toString(36)}${copy ? `-${copy.toString(36)}` : ''}`);

/** The id of an errand, as whoever gets it sees it: the same for every try. */
export const errandKey = (secret: Buffer, { person, errand }: { person: number; errand: number }): string =>
  keyOf(secret, 'e.', `${person.toString(36)}.${errand.toString(36)}`);

/** The id of a text that was written by hand: the same for every try. */
export const answerKey = (secret: Buffer, { person, answer }: { person: number; answer: number }): string =>
  keyOf(secret, 'a.', `${person.toString(36)}.${answer.toString(36)}`);

/** The id of a letter that no journey sends: the same for every try. */
export const letterKey = (secret: Buffer, { person, letter }: { person: number; letter: number }): string =>
  keyOf(secret, 'l.', `${person.toString(36)}.${letter.toString(36)}`);

/** What a key names; `null` where it is not ours. Letters of either case, as mail servers change them. */
export function readKey(secret: Buffer, key: string): KeyRef | null {
  const read = PARTS.exec(key.toLowerCase());
  if (!read) return null;
  const [, whole = '', prefix = '', person = '', number = '', copy, signed = ''] = read;
  const { kind, as } = SIGNED[prefix] ?? { kind: 'message', as: '' };
  const name = whole.slice(prefix.length);
  if (!timingSafeEqual(Buffer.from(mac(secret, as + name)), Buffer.from(signed))) return null;
  const [of, n] = [parseInt(person, 36), parseInt(number, 36)];
  if (kind === 'message') return { kind, person: of, message: n, copy: parseInt(copy ?? '0', 36) };
  // Only messages are copied.
  if (copy !== undefined) return null;
  if (kind === 'letter') return { kind, person: of, letter: n };
  return kind === 'errand' ? { kind, person: of, errand: n } : { kind, person: of, answer: n };
}

/** The message a key names; `null` where it is not ours, or of something else. */
export function readMessageKey(secret: Buffer, key: string): MessageRef | null {
  const read = readKey(secret, key);
  if (read?.kind !== 'message') return null;
  const { kind: _, ...ref } = read;
  return ref;
}

/** The text that a key of {@link answerKey} names; `null` where it is not ours. */
export function readAnswerKey(secret: Buffer, key: string): { person: number; answer: number } | null {
  const read = readKey(secret, key);
  return read?.kind === 'answer' ? { person: read.person, answer: read.answer } : null;
}
