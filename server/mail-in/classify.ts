/**
 * What a mail that came in is: a report that one of ours did not arrive, a complaint, an unsubscription, an automatic
 * answer, or an answer. And which of our messages it can be about, by signed ids alone: a report is never matched by guessing.
 * Sources: RFC 3464 and 3463 (delivery reports), RFC 5965 (complaints), RFC 3834 (automatic answers), RFC 8058.
 */
import type { ParsedMail } from 'mailparser';
import { isStopWord } from '../../core/message/text-words.ts';
import { enhancedCode, meaningOf } from '../mail/answer.ts';
import { ownWords } from './own-words.ts';

export type Inbound =
  | { kind: 'bounced'; hard: boolean; error: string }
  /** Still being tried, or delivered after all: nothing comes of it. */
  | { kind: 'report'; error: string }
  | { kind: 'complained'; feedback: string }
  | { kind: 'unsubscribed' }
  | { kind: 'replied'; text: string; subject: string; machine: boolean };

export interface Envelope {
  /** Empty for what must not be answered: reports. */
  from: string;
  to: string[];
}

export interface Classified {
  inbound: Inbound;
  /** What stands before the @ of addresses of ours it went to or answers, the surest first. */
  keys: string[];
}

/** Local parts of our addresses that name a message: `bounce+KEY`, `reply+KEY`, `unsubscribe+KEY`. */
const OWN = /^(bounce|reply|unsubscribe)\+([0-9a-z.]+)@/i;

export function classify(mail: ParsedMail, envelope: Envelope): Classified {
  const own = envelope.to.flatMap((to) => {
    const read = OWN.exec(to);
    return read ? [{ use: read[1]?.toLowerCase(), key: read[2] ?? '' }] : [];
  });
  const answered = [mail.inReplyTo, ...[mail.references ?? []].flat().reverse()].flatMap((id) => keyOfId(id));
  const keys = own.map((o) => o.key);

  if (own.some((o) => o.use === 'unsubscribe')) return { inbound: { kind: 'unsubscribed' }, keys };
  const type = structured(mail, 'content-type');
  const report = type.value === 'multipart/report' ? type.params['report-type']?.toLowerCase() : undefined;
  if (report === 'feedback-report')
    return {
      inbound: complaint(mail),
      keys: [...keys, ...embedded(mail), ...answered]
    };
  if (report === 'delivery-status')
    return { inbound: deliveryStatus(allText(mail)), keys: [...keys, ...embedded(mail), ...answered] };
  // Servers that write their own prose. An automatic answer comes from nobody, too, but by the name of a person.
  const fromServer = /^(?:mailer-daemon|postmaster)@/i.test(mail.from?.value[0]?.address ?? '');
  const failing =
    /undeliver|not delivered|delivery (?:status|fail|incomplete)|returned (?:mail|to sender)|failure notice|mail delivery/i.test(
      mail.subject ?? ''
    );
  if (fromServer ? failing || own.some((o) => o.use === 'bounce') : failing && envelope.from === '')
    return { inbound: prose(allText(mail)), keys: [...keys, ...embedded(mail), ...answered, ...idsIn(allText(mail))] };
  const text = ownWords(mail.text ?? '');
  const machine = isAutomatic(mail) || fromServer || envelope.from === '';
  if (!machine && isStopWord(text)) return { inbound: { kind: 'unsubscribed' }, keys: [...keys, ...answered] };
  return { inbound: { kind: 'replied', text, subject: mail.subject ?? '', machine }, keys: [...keys, ...answered] };
}

function structured(mail: ParsedMail, name: string): { value: string; params: Record<string, string> } {
  const header = mail.headers.get(name);
  return typeof header === 'object' && 'value' in header && 'params' in header
    ? { value: String(header.value).toLowerCase(), params: header.params as Record<string, string> }
    : { value: '', params: {} };
}

const headerText = (mail: ParsedMail, name: string): string => {
  const found = mail.headerLines.find((h) => h.key === name);
  return found
    ? found.line
        .slice(found.line.indexOf(':') + 1)
        .trim()
        .toLowerCase()
    : '';
};

/** RFC 3834, and the headers that were used before it and still are. */
function isAutomatic(mail: ParsedMail): boolean {
  const submitted = headerText(mail, 'auto-submitted');
  if (submitted !== '' && submitted !== 'no' && !submitted.startsWith('no;')) return true;
  if (['x-autoreply', 'x-autorespond', 'x-auto-reply'].some((name) => headerText(mail, name) !== '')) return true;
  if (/^(?:auto_reply|bulk|junk|list)\b/.test(headerText(mail, 'precedence'))) return true;
  if (headerText(mail, 'list-id') !== '' || headerText(mail, 'x-auto-response-suppress').includes('all')) return true;
  return /^(?:automatic reply|auto(?:matic)?[ -]?(?:reply|response)|out of (?:the )?office|abwesenheitsnotiz|automatische antwort)\b/i.test(
    mail.subject ?? ''
  );
}

/** All the words of a mail, those of its machine-readable parts included. */
const allText = (mail: ParsedMail): string =>
  [
    mail.text ?? '',
    ...mail.attachments
      .filter((a) => /^(?:message|text)\//.test(a.contentType))
      .map((a) => a.content.toString('utf8').slice(0, 100_000))
  ]
    .join('\n')
    .slice(0, 300_000);

/** The ids of messages of ours that a mail returns or quotes. */
const embedded = (mail: ParsedMail): string[] =>
  mail.attachments
    .filter((a) =>
      /^(?:message\/rfc822|message\/global|text\/rfc822-headers|message\/rfc822-headers)$/.test(a.contentType)
    )
    .flatMap((a) => idsIn(a.content.toString('utf8').slice(0, 100_000)));

const keyOfId = (id: string | undefined): string[] => {
  const read = /<?([0-9a-z]{1,11}\.[0-9a-z]{1,11}\.[0-9a-f]{15})@/i.exec(id ?? '');
  return read?.[1] ? [read[1]] : [];
};
const idsIn = (text: string): string[] =>
  [...text.matchAll(/\b([0-9a-z]{1,11}\.[0-9a-z]{1,11}\.[0-9a-f]{15})@/gi)].slice(0, 10).flatMap((m) => m[1] ?? []);

/** The fields of the first recipient of a delivery report. */
function deliveryStatus(text: string): Inbound {
  const field = (name: string): string =>
    new RegExp(`^${name}:[ \\t]*(.*(?:\\r?\\n[ \\t]+.*)*)`, 'im').exec(text)?.[1]?.replace(/\s+/g, ' ').trim() ?? '';
  const action = field('Action').toLowerCase();
  const status = /\b([245]\.\d{1,3}\.\d{1,3})\b/.exec(field('Status'))?.[1] ?? '';
  const said = field('Diagnostic-Code').replace(/^[\w-]+;\s*/, '') || field('Status');
  const error = said || 'it did not arrive';
  if (action !== '' && action !== 'failed') return { kind: 'report', error: `${action}: ${error}` };
  return bounce(status, error);
}

function prose(text: string): Inbound {
  const line = text
    .split('\n')
    .map((l) => l.trim())
    .find((l) =>
      /\b[45]\d\d[ -]|\b[45]\.\d{1,3}\.\d{1,3}\b|no such user|user unknown|unknown user|does not exist|mailbox (?:is )?(?:full|unavailable)/i.test(
        l
      )
    );
  return bounce(
    enhancedCode(line ?? '') ?? '',
    line ??
      text
        .split('\n')
        .find((l) => l.trim())
        ?.trim() ??
      'it did not arrive'
  );
}

/** Hard where nobody is there, for good. What says no more than that it failed, and what is about us, is soft. */
function bounce(status: string, error: string): Inbound {
  // "x.0.0" says nothing (RFC 3463, 3.1).
  const says = /\.0\.0$/.test(status) ? '' : status;
  const text = (enhancedCode(error) ? error : `${says} ${error}`).replace(/\b[45]\.0\.0\b/, '');
  const code = Number(/(?:^|\s)([45]\d\d)(?=[\s-])/.exec(` ${error}`)?.[1] ?? (says ? `${says[0]}50` : '450'));
  const unknown = says === '' && /no such user|user unknown|unknown user|does not exist|no mailbox here/i.test(error);
  const hard = unknown || meaningOf({ code, text, command: 'RCPT TO' }) === 'mailbox';
  return { kind: 'bounced', hard, error };
}

function complaint(mail: ParsedMail): Inbound {
  const feedback = feedbackOf(mail);
  return feedback === 'not-spam' ? { kind: 'report', error: 'said to be no spam' } : { kind: 'complained', feedback };
}

function feedbackOf(mail: ParsedMail): string {
  const found = /^Feedback-Type:\s*([\w-]+)/im.exec(allText(mail))?.[1];
  return (found ?? 'abuse').toLowerCase();
}
