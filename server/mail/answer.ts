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

/*
 * What servers say in words, which many have nothing but, and by which others mean something else than by their code. Held by a
 * table of wordings (answer.test.ts). What none of them knows says nothing of the person.
 */
/** There is no room now. */
const FULL =
  /(?:mailbox|inbox|mail ?box|user|recipient|account|storage|disk)[^.;]{0,40}\b(?:is |are )?full\b|\b(?:over|exceed(?:s|ed|ing)?|exceeds? (?:the|its|their))[^.;]{0,30}\bquota\b|\bquota[^.;]{0,30}\bexceeded\b|over ?quota|out of (?:storage|space|quota)|(?:insufficient|not enough|no)[^.;]{0,20}\b(?:storage|disk space|space)\b|exceeded storage|storage (?:limit|allocation)[^.;]{0,20}(?:exceeded|reached)|mailbox size limit|too much (?:mail|data) (?:in|for)/i;
/** It is about us: who we are, where we send from, what we send; or about how they let mail in. */
const OURS =
  /relay|rcpthosts|\br?dns\b|reverse|\bptr\b|\blisted\b|blocked|block ?list|black ?list|deny ?list|dnsbl|\brbl\b|\bspam|\bpolic(?:y|ies)\b|reputation|authenticat|not permitted|permission|\bdenied\b|unauthori[sz]ed|not authori[sz]ed|prohibit|\bspf\b|\bdkim\b|\bdmarc\b|sender|client host|too many|\brate\b|throttl|not allowed|dynamic|residential|\bhelo\b|\behlo\b|verif(?:y|ication)|callout|call-?back|grey|gray ?list|content|virus|attachment|malware|phish|\btls\b|starttls|encrypt|banned|abus|bulk|unsolicited|suspicious|host ?name|cannot resolve|your (?:ip|server|host|domain|message|e?mail|mail)|\bip address\b|security|administrative|closed for (?:you|mail from)|restrict|only accept|internal (?:users|senders) only|members only|moderat|message (?:size|too)|too (?:large|big|long)|header|\bloop|hop count|protocol|syntax error|command|bad sequence|rejected for|trust|certificate|complain|filter/i;
/** It is a matter of the moment, whatever its code says. */
const LATER =
  /temporar|try (?:it )?(?:again|later)|\blater\b|(?:service|server|system|host|mailbox|account|user|recipient)[^.;]{0,20}\b(?:currently |now )?(?:unavailable|busy|locked|offline)|time(?:d)?[ -]?out|overload|deferred|resources|maintenance|at this time|at the moment|currently (?:not|un)|lookup fail|connection (?:lost|refused|dropped|reset)|unreachable|not responding|internal (?:server )?error|local error|out of memory|i\/o error/i;
/** Nobody is there, for good. */
const NOBODY = new RegExp(
  [
    '(?:user|recipient|mailbox|address|account|alias|person|customer|subscriber|member|local[- ]?part|rcpt)(?: name)?(?: \\S+@\\S+| <[^>]*>)?:? ?(?:is |was |has been |seems )?(?:unknown|invalid|not (?:found|known|exist|local|listed|valid|here|recogni[sz]ed|defined|our)|no(?:n|t)[- ]?exist\\w*|does(?: not|n.t) exist|doesn.t have|disabled|deactivated|inactive|not active|closed|suspended|deleted|removed|terminated|discontinued|expired|cancell?ed|no longer (?:\\w+ ){0,2}(?:here|active|available|valid|exists?|in use|on|with|accepts?|used|employed)|has moved|not a (?:local|valid))',
    'unknown (?:or illegal )?(?:user|recipient|mailbox|address|account|alias|local[- ]?part)',
    'no such (?:user|recipient|mailbox|address|account|alias|person|domain|local|customer|member|name|id)',
    '(?:no|not a|isn.t a|invalid|bad|illegal|nonexistent|non-existent|wrong|incorrect|undeliverable) (?:valid |local |known |such |destination )?(?:mailbox|user|recipient|address|account|alias|domain|destination)(?: name| address| system address| syntax)?\\b(?! (?:list|available))',
    '(?:mailbox|recipient|user|account|address)(?: \\S+@\\S+| <[^>]*>)? (?:could not be|cannot be|can.t be|was not|not) found',
    'does(?: not|n.t) (?:exist|have an? (?:account|mailbox)|like recipient)',
    'user (?:doesn.t|does not) have an? \\S+ account',
    '(?:doesn.t|does not) (?:accept|receive) (?:any )?(?:e-?)?mail(?: \\(nullmx\\)|\\.|$)',
    'null ?mx',
    'unrouteable (?:address|domain)',
    'address (?:unknown|rejected: (?:user|account|address|mailbox|recipient) )',
    '(?:domain|host)(?: or domain name)?(?: \\S+)? (?:not found|does not exist|name not found|has no mx)',
    'no longer (?:works|employed|exists|in service|at this)',
    'person is not with us',
    'mailbox name invalid',
    'this (?:account|user|address|mailbox) (?:has been|is|was) (?:closed|disabled|deleted|deactivated|inactive|suspended|terminated|abandoned)'
  ].join('|'),
  'i'
);

export interface SmtpAnswer {
  /** Basic reply code; absent where there was no answer at all. */
  code: number | undefined;
  /** Its text, with the enhanced code where there is one. */
  text: string;
  /** The command it answers: `RCPT TO`, `MAIL FROM`, `DATA`, `AUTH`, … */
  command: string | undefined;
}

/** The enhanced status code of an answer (RFC 2034), wherever in it that stands; `null` where it has none. */
export const enhancedCode = (text: string): string | null =>
  /(?:^|[\s([#:;<-])([245]\.\d{1,3}\.\d{1,3})(?=$|[\s)\]:;,>-]|\.(?:\s|$))/.exec(text)?.[1] ?? null;

/** What a refusal means. */
export function meaningOf({ code, text, command }: SmtpAnswer): Refused {
  // Signing in is ours to mend, also where the server answers 454 for it (RFC 4954, 6).
  if (command?.startsWith('AUTH') || code === 530 || code === 534 || code === 535 || code === 538) return 'ours';
  if (code === undefined) return 'away';
  const enhanced = enhancedCode(text);
  // Without the address itself, and without the name of the table in which it was looked for.
  const words = text
    .replace(/<[^>]*>|\S+@\S+/g, ' ')
    .replace(/ in (?:\w+ ){1,3}table\b/gi, ' ')
    .replace(/\s+/g, ' ');
  if (enhanced === '5.2.2' || enhanced === '4.2.2') return 'full';
  if (code < 500) return FULL.test(words) && command === 'RCPT TO' ? 'full' : 'temporary';
  if (command === 'MAIL FROM' || command === 'CONN') return 'ours';
  if (FULL.test(words) && command === 'RCPT TO') return 'full';
  if (command !== 'RCPT TO' && command !== 'DATA') return 'ours';
  // A code for policy is about policy, whatever is said beside it.
  if (enhanced?.startsWith('5.7.')) return !OURS.test(words) && LATER.test(words) ? 'temporary' : 'ours';
  const nobody = NOBODY.test(words);
  if (OURS.test(nobody ? words.replace(NOBODY, ' ') : words)) return 'ours';
  if (LATER.test(words)) return 'temporary';
  // After the mail itself was given, only a code that says so is about its recipient.
  const says = enhanced !== null && NO_MAILBOX.has(enhanced);
  return says || (nobody && command === 'RCPT TO' && !enhanced?.startsWith('5.3.')) ? 'mailbox' : 'ours';
}
