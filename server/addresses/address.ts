/**
 * The one rule for addresses, at every door: an email address or a phone number in the form in which it is kept. One address, no
 * list, no line end, no brackets, nothing around it; email in lower case, at most 254 characters (RFC 5321, 4.5.3.1.3); a phone
 * number as E.164.
 */
import { z } from 'zod';
import { readPhone } from './phone.ts';

const email = z.email().max(254);

/** An address in the form in which it is kept, or why it is none. `country`: of phone numbers written without one. */
export function readAddress(
  target: 'email' | 'phone',
  text: string,
  country: string | null
): { ok: true; value: string } | { ok: false; reason: string } {
  if (target === 'email') {
    const read = email.safeParse(text.trim().toLowerCase());
    return read.success ? { ok: true, value: read.data } : { ok: false, reason: 'not an email address' };
  }
  const number = readPhone(text, country);
  return number === null
    ? { ok: false, reason: 'not a phone number; write it with its country, as +44 7700 900123' }
    : { ok: true, value: number };
}

/** Whether a mail may be handed over for it: one mailbox, written plainly. Letter case is its own matter. */
export const isMailbox = (text: string): boolean => email.safeParse(text).success;

/** Whether a text may be handed over for it. */
export const isNumber = (text: string): boolean => /^\+[1-9]\d{6,14}$/.test(text);
