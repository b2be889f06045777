/**
 * The one type of text that comes from outside: out of forms, requests, files,
 * mail, texts and addresses of pages. It holds no NUL and no lone surrogate,
 * which PostgreSQL and JSON readers refuse, and it has a greatest length.
 * Where something is asked for, text that does not fit is refused and says why;
 * what people send us (a reply, a name in a header) is repaired instead: never
 * refused, never lost.
 */
import { z } from 'zod';

/** How long texts may be, in UTF-16 units. */
export const LONGEST = {
  /** Tags, lists, scores, segments, lanes, folders: what names something in few words. */
  label: 80,
  /** Names of steps and journeys, fields, forms, products. */
  name: 200,
  /** Subject and preview: with their header's name under the 998 octets of a header line (RFC 5322, 2.1.1). */
  subject: 200,
  /** Notes, aims, purposes, answers, values of fields. */
  words: 2000,
  /** The text of an email before personal fields are filled in. */
  email: 100_000,
  /** Ten parts of GSM-7: what a text may grow to on a phone (3GPP TS 23.040). */
  sms: 1530,
  /** An address of a page or link. */
  url: 2000
} as const;

/** What no text may contain, by how it is called. */
function unfit(text: string): string | null {
  if (text.includes('\0')) return 'the character NUL';
  return text.isWellFormed() ? null : 'half of a character (a lone surrogate)';
}

/** Whether a text holds only what can be kept. */
export const isFit = (text: string): boolean => unfit(text) === null;

/** A text of at most `most` UTF-16 units, kept as it is. */
export const plainText = (most: number = LONGEST.words) =>
  z
    .string()
    .max(most, { error: `expected at most ${most} characters` })
    .refine(isFit, { error: 'expected text without NUL and without halves of characters' });

/** A text that names something: as {@link plainText}, without white space around it. */
export const naming = (most: number = LONGEST.label) => plainText(most).trim();

/** Text that was sent to us, made to fit: what cannot be kept becomes U+FFFD, what is too long is cut. */
export function repaired(value: string, most: number = LONGEST.words): string {
  const fit = value.replaceAll('\0', '\uFFFD').toWellFormed();
  if (fit.length <= most) return fit;
  // Not through the middle of a character.
  return fit.slice(0, most).replace(/[\uD800-\uDBFF]$/, '');
}

/** The first text inside a JSON value that cannot be kept: where it stands, and what is wrong; `null` for none. */
export function unfitInside(
  value: unknown,
  path: (string | number)[] = []
): { path: (string | number)[]; what: string } | null {
  if (typeof value === 'string') {
    const what = unfit(value);
    return what ? { path, what } : null;
  }
  if (typeof value !== 'object' || value === null) return null;
  for (const [key, inner] of Object.entries(value)) {
    const here = [...path, Array.isArray(value) ? Number(key) : key];
    const found = isFit(key) ? unfitInside(inner, here) : { path: here, what: unfit(key) ?? '' };
    if (found) return found;
  }
  return null;
}
