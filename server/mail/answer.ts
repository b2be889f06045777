/**
 * What a mail server's answer means. Only an answer about the mailbox itself
 * says anything of the person: everything else (policy, block lists, relaying,
 * authentication, size, a refused sender) is a matter between that server and
 * us, and nobody is suppressed for it. Sources: RFC 5321, 4.2; RFC 3463; the
 * IANA registry of enhanced status codes.
 */

/** What became of handing a message over. */
export type Handed =
  | { ok: true }
  | {
      ok: false;
      /**
       * `mailbox`: nobody is there, for good. `full`: no room there now. `temporary`: worth trying again.
       * `away`: the server cannot be reached. `ours`: it takes no mail from us as things stand. `withheld`: it was not handed over,
       * because nobody may write to them any more.
       */
      kind: 'mailbox' | 'full' | 'temporary' | 'away' | 'ours' | 'withheld';
      /** In the server's own words. */
      error: string;
    };
export type Refused = Extract<Handed, { ok: false }>['kind'];

/** Enhanced status codes that say the mailbox is not there, or takes no mail any more. */
const NO_MAILBOX = new Set(['5.1.1', '5.1.2', '5.1.3', '5.1.6', '5.1.10', '5.2.1']);
/** Basic codes that, without an enhanced one, mean the same where they answer RCPT TO (RFC 5321, 4.2.3). */
const BARE_NO_MAILBOX = new Set([550, 551, 553]);
/** Words that say a bare refusal of a recipient is about policy after all, as many servers have no enhanced codes. */
const POLICY =
  /relay|block|black ?list|deny ?list|spam|polic|reputation|authenticat|not permitted|denied|unauthori[sz]ed|rejected|spf|dkim|dmarc|rbl|sender|client host|too many|rate|not allowed/i;

export interface SmtpAnswer {
  /** Basic reply code; absent where there was no answer at all. */
  code: number | undefined;
  /** Its text, with the enhanced code where there is one. */
  text: string;
  /** The command it answers: `RCPT TO`, `MAIL FROM`, `DATA`, `AUTH`, … */
  command: string | undefined;
}

/** The enhanced status code of an answer (RFC 2034); `null` where it has none. */
export const enhancedCode = (text: string): string | null =>
  /(?:^|\s|-)([245]\.\d{1,3}\.\d{1,3})(?=\s|$)/.exec(text)?.[1] ?? null;

/** What a refusal means. */
export function meaningOf({ code, text, command }: SmtpAnswer): Refused {
  // Signing in is ours to mend, also where the server answers 454 for it (RFC 4954, 6).
  if (command?.startsWith('AUTH') || code === 530 || code === 534 || code === 535 || code === 538) return 'ours';
  if (code === undefined) return 'away';
  const enhanced = enhancedCode(text);
  if (enhanced === '5.2.2' || enhanced === '4.2.2') return 'full';
  if (code < 500) return 'temporary';
  if (command === 'MAIL FROM') return 'ours';
  if (enhanced) return NO_MAILBOX.has(enhanced) ? 'mailbox' : 'ours';
  if (code === 552) return /quota|full|storage/i.test(text) && command === 'RCPT TO' ? 'full' : 'ours';
  return command === 'RCPT TO' && BARE_NO_MAILBOX.has(code) && !POLICY.test(text) ? 'mailbox' : 'ours';
}
