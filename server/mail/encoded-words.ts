/** Header text that would be read as something else: written as encoded words (RFC 2047). */
import { encodeWord } from 'nodemailer/lib/mime-funcs';

/** Octets of a header line's text that are safe in one word, whatever the header is called. */
const WORD = 52;

/**
 * A subject as it may stand in a header. Text in other letters is encoded by the mailer; text that looks like an encoded
 * word already would be decoded by whoever reads it, so it is encoded here.
 */
export function encodeWords(text: string): string {
  return text.includes('=?') ? encodeWord(text, 'B', WORD) : text;
}
