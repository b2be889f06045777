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

/** The part of an id that names the message: `PERSON.MESSAGE.MAC`, or `PERSON.MESSAGE-COPY.MAC`, numbers in base 36. */
export function messageKey(
  secret: Buffer,
  { person, message, copy = 0 }: Omit<MessageRef, 'copy'> & Partial<MessageRef>
): string {
  const name = `${person.toString(36)}.${message.toString(36)}${copy ? `-${copy.toString(36)}` : ''}`;
  return `${name}.${mac(secret, name)}`;
}

/** The id of an errand, as whoever gets it sees it: the same for every try. */
export function errandKey(secret: Buffer, { person, errand }: { person: number; errand: number }): string {
  const name = `${person.toString(36)}.${errand.toString(36)}`;
  return `e.${name}.${mac(secret, `errand/${name}`)}`;
}

/** The id of a text that was written by hand: the same for every try. */
export function answerKey(secret: Buffer, { person, answer }: { person: number; answer: number }): string {
  const name = `${person.toString(36)}.${answer.toString(36)}`;
  return `a.${name}.${mac(secret, `answer/${name}`)}`;
}

/** The text that a key of {@link answerKey} names; `null` where it is not ours. */
export function readAnswerKey(secret: Buffer, key: string): { person: number; answer: number } | null {
  const read = /^a\.([0-9a-z]{1,11})\.([0-9a-z]{1,11})\.([0-9a-f]{15})$/.exec(key.toLowerCase());
  if (!read) return null;
  const [, person = '', answer = '', signed = ''] = read;
  if (!timingSafeEqual(Buffer.from(mac(secret, `answer/${person}.${answer}`)), Buffer.from(signed))) return null;
  return { person: parseInt(person, 36), answer: parseInt(answer, 36) };
}

/** The message a key names; `null` where it is not ours. Letters of either case, as mail servers change them. */
export function readMessageKey(secret: Buffer, key: string): MessageRef | null {
  const read = /^(([0-9a-z]{1,11})\.([0-9a-z]{1,11})(?:-([0-9a-z]{1,4}))?)\.([0-9a-f]{15})$/.exec(key.toLowerCase());
  if (!read) return null;
  const [, name = '', person = '', message = '', copy = '0', signed = ''] = read;
  if (!timingSafeEqual(Buffer.from(mac(secret, name)), Buffer.from(signed))) return null;
  return { person: parseInt(person, 36), message: parseInt(message, 36), copy: parseInt(copy, 36) };
}
