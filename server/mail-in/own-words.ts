/** What somebody wrote in answer to a mail, without what they quoted of it. */
import { createContext, runInContext } from 'node:vm';
import EmailReplyParser from 'email-reply-parser';

/** An answer is looked at for so long: whoever sends a mail chooses its words, and with them how long that takes. */
const LONGEST_MS = 300;
/** The longest answer that is looked at, in characters; of a longer one this much. */
const MOST = 20_000;

const box = createContext({
  text: '',
  own: (text: string) => new EmailReplyParser().read(text).getVisibleText({ aggressive: true })
});

export function ownWords(text: string): string {
  // Empty lines by the thousand are no words, and are what takes longest.
  const short = text
    .slice(0, MOST)
    .replace(/\r\n?/g, '\n')
    .replace(/\n{3,}/g, '\n\n');
  box['text'] = short;
  try {
    const own = String(runInContext('own(text)', box, { timeout: LONGEST_MS })).trim();
    return own === '' ? short.trim() : own;
  } catch {
    return short.trim();
  }
}
