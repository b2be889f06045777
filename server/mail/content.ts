/**
 * What a message says: filled in once, when it first goes out, and kept with
 * the message. Every try sends these very words, and a link leads where this
 * copy's link led, whatever the person's fields say later.
 */
import { joinParts, trimParts, type Part } from '../../core/message/links.ts';
import { fillIn, fillInParts, type MessageScope } from '../../core/message/personal.ts';
import type { EmailStep } from '../../core/steps/email.ts';
import type { SmsStep } from '../../core/steps/sms.ts';
import { repaired } from '../../core/text/text.ts';

export interface Content {
  /** `null` for a text. */
  subject: string | null;
  /** Shown by mail readers beside the subject. */
  preview: string | null;
  parts: Part[];
}

/** A link by its address and its place in the text: how links are kept. */
export type KeptLink = [url: string, start: number, end: number];

/** The longest subject that is sent; a longer one is cut. */
const LONGEST_SUBJECT = 250;

/** A message that cannot go out as it is: what is wrong with it. */
export class Unfillable extends Error {}

/** Fills a message in. Throws {@link Unfillable} where its Liquid cannot be filled in or an email's subject comes out empty. */
export function fillMessage(step: EmailStep | SmsStep, scope: MessageScope): Content {
  try {
    // A filter can make of a value what no text can hold (url_decode a NUL, say): links are
    // addresses and safe, words are mended.
    const parts = trimParts(
      fillInParts(step.text ?? '', scope).map((p) => ('link' in p ? p : { words: repaired(p.words, p.words.length) }))
    );
    if (step.kind === 'sms') {
      if (joinParts(parts) === '') throw new Unfillable('it comes out without words');
      return { subject: null, preview: null, parts };
    }
    const subject = oneLine(fillIn(step.subject ?? '', scope));
    if (subject === '') throw new Unfillable('its subject comes out empty');
    return { subject, preview: oneLine(fillIn(step.preview ?? '', scope)), parts };
  } catch (error) {
    if (error instanceof Unfillable) throw error;
    throw new Unfillable(`it cannot be filled in: ${(error as Error).message.split('\n')[0]}`);
  }
}

const oneLine = (text: string): string => {
  const line = repaired(text, text.length).replace(/\s+/g, ' ').trim();
  return line.length > LONGEST_SUBJECT ? `${line.slice(0, LONGEST_SUBJECT - 1).trimEnd()}…`.toWellFormed() : line;
};

/** The words of a content with its links in the clear, and where they stand in it. */
export function keepParts(parts: readonly Part[]): { body: string; links: KeptLink[] } {
  const links: KeptLink[] = [];
  let body = '';
  for (const part of parts) {
    if ('link' in part) links.push([part.link, body.length, body.length + part.link.length]);
    body += 'link' in part ? part.link : part.words;
  }
  return { body, links };
}

/** The parts again. */
export function restoreParts(body: string, links: readonly KeptLink[]): Part[] {
  const parts: Part[] = [];
  let from = 0;
  for (const [link, start, end] of links) {
    if (start > from) parts.push({ words: body.slice(from, start) });
    parts.push({ link });
    from = end;
  }
  if (from < body.length) parts.push({ words: body.slice(from) });
  return parts;
}
