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
    return own === '' ? short.trim() : beforeQuoted(own);
  } catch {
    return short.trim();
  }
}

/** How programs that the parser does not know begin what they quote. Each is one line. */
const QUOTED = new RegExp(
  `^\\s*(?:${[
    '[-_=]{2,}\\s*(?:original message|urspr[üu]ngliche (?:nachricht|mail)|weitergeleitete nachricht|message (?:d.origine|original|transf[ée]r[ée])|mensaje (?:original|reenviado)|messaggio originale|bunteachtaireacht|oorspronkelijk bericht|mensagem original|forwarded message)\\b.*',
    '_{20,}',
    // A block of headers: who, and below it when.
    '(?:from|von|de|da|van|ó)\\s?:\\s.{1,200}',
    '.{0,120}\\b(?:schrieb|wrote|escribi[óo]|a [ée]crit|scr[íi]obh|ha scritto|schreef)\\b.{0,160}:',
    '(?:am|on|le|el|ar|il|op) .{4,160} (?:schrieb|wrote|escribi[óo]|a [ée]crit|scr[íi]obh|ha scritto|schreef)\\b.{0,160}:?'
  ].join('|')})\\s*$`,
  'iu'
);
const BELOW_FROM =
  /^\s*(?:sent|date|gesendet|datum|envoy[ée](?: le)?|enviado(?: el)?|fecha|seolta|data|verzonden|to|an|à|para|chuig)\s?:/iu;

/** What stands before the first line that begins a quotation; all of it where nothing stands before. */
function beforeQuoted(text: string): string {
  const lines = text.split('\n');
  const at = lines.findIndex(
    (line, i) =>
      line.length < 400 &&
      QUOTED.test(line) &&
      // Whoever writes "From: the harbour" quotes nobody: a block of headers goes on below.
      (!/^\s*(?:from|von|de|da|van|ó)\s?:/iu.test(line) || BELOW_FROM.test(lines[i + 1] ?? ''))
  );
  const before = at > 0 ? lines.slice(0, at).join('\n').trim() : '';
  return before === '' ? text : before;
}
