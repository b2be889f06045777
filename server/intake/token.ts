/**
 * Signed tokens in pixels, links and unsubscribe addresses. A token says which
 * message of which person it is about, and what it may be used for: the use is
 * part of what is signed, so a link's token does not unsubscribe anyone.
 * Form: base64url of varints (person, message, number) and 12 bytes of HMAC-SHA-256.
 */
import { createHmac, timingSafeEqual } from 'node:crypto';
import type { Channel } from '../../core/person/values.ts';

/** `confirm` names an errand instead of a message. */
export type TokenUse = 'open' | 'link' | 'unsubscribe' | 'confirm';

export interface Token {
  person: number;
  message: number;
  /** Which of the message's links; to unsubscribe, from which channel ({@link channelNumber}); 0 for other uses. */
  number: number;
}

/** A channel in a token: it outlives the message that it came with. */
export const channelNumber = (channel: Channel): number => (channel === 'email' ? 1 : 2);
/** The channel of a token; one from before channels stood in them came with an email, which nearly all did. */
export const channelOfNumber = (number: number): Channel => (number === 2 ? 'sms' : 'email');

const MAC = 12;

export function signToken(secret: Buffer, use: TokenUse, token: Token): string {
  const body = Buffer.from([token.person, token.message, token.number].flatMap(varint));
  return Buffer.concat([body, mac(secret, use, body)]).toString('base64url');
}

/** The token's content; `null` where it is forged, cut, changed, or meant for another use. */
export function readToken(secret: Buffer, use: TokenUse, text: string): Token | null {
  if (!/^[A-Za-z0-9_-]{18,80}$/.test(text)) return null;
  const bytes = Buffer.from(text, 'base64url');
  // Base64 has more than one spelling of some ends; only ours is ours.
  if (bytes.toString('base64url') !== text || bytes.length <= MAC) return null;
  const body = bytes.subarray(0, -MAC);
  if (!timingSafeEqual(bytes.subarray(-MAC), mac(secret, use, body))) return null;
  const numbers = readVarints(body);
  const [person, message, number] = numbers;
  if (numbers.length !== 3 || person === undefined || message === undefined || number === undefined) return null;
  return { person, message, number };
}

function mac(secret: Buffer, use: TokenUse, body: Buffer): Buffer {
  return createHmac('sha256', secret).update(use).update('\0').update(body).digest().subarray(0, MAC);
}

function varint(value: number): number[] {
  const bytes: number[] = [];
  let rest = value;
  while (rest >= 128) {
    bytes.push((rest % 128) + 128);
    rest = Math.floor(rest / 128);
  }
  return [...bytes, rest];
}

function readVarints(bytes: Buffer): number[] {
  const numbers: number[] = [];
  let value = 0;
  let scale = 1;
  for (const byte of bytes) {
    value += (byte % 128) * scale;
    scale *= 128;
    if (byte < 128) {
      numbers.push(value);
      value = 0;
      scale = 1;
    }
  }
  return numbers;
}
