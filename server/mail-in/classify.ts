/**
 * What a mail that came in is: a report that one of ours did not arrive, a complaint, an unsubscription, an automatic
 * answer, or an answer. And which of our messages it can be about, by signed ids alone: a report is never matched by guessing.
 * Sources: RFC 3464 and 3463 (delivery reports), RFC 5965 (complaints), RFC 3834 (automatic answers), RFC 8058.
 */
import type { ParsedMail } from 'mailparser';
import { asksToStop } from '../../core/message/stop.ts';
import { keysIn, OWN_ADDRESS } from '../mail/message-id.ts';
import { enhancedCode, meaningOf } from '../mail/answer.ts';
import { isAutomatic } from './automatic.ts';
import { ownWords } from './own-words.ts';

export type Inbound =
  | { kind: 'bounced'; hard: boolean; /** There was no room. */ full: boolean; error: string }
  /** Still being tried, or delivered after all: nothing comes of it. */
  | { kind: 'report'; error: string }
  | { kind: 'complained'; feedback: string }
  | { kind: 'unsubscribed' }
  | { kind: 'replied'; text: string; subject: string; machine: boolean };

export interface Envelope {
  /** Empty for what must not be answered: reports. */
  from: string;
  to: string[];
  /** The address of whoever handed it to us; absent: not known. */
  client?: string;
}

export interface Classified {
  inbound: Inbound;
  /** What stands before the @ of addresses of ours it went to or answers, the surest first. */
  keys: string[];
}

/** `source`: the beginning of the mail as it came, for what a parser takes for something else. */
export function classify(mail: ParsedMail, envelope: Envelope, source = ''): Classified {
  const own = envelope.to.flatMap((to) => {
    const read = OWN_ADDRESS.exec(to);
    return read ? [{ use: read[1]?.toLowerCase(), key: read[2] ?? '' }] : [];
  });
  const answered = [mail.inReplyTo, ...[mail.references ?? []].flat().reverse()].flatMap((id) => keysIn(id ?? ''));
  const keys = own.map((o) => o.key);

  if (own.some((o) => o.use === 'unsubscribe')) return { inbound: { kind: 'unsubscribed' }, keys };
  const type = structured(mail, 'content-type');
  const report = type.value === 'multipart/report' ? type.params['report-type']?.toLowerCase() : undefined;
  // A returned part may be shown inline, or be told by no more than a field: then it stands in the mail as it came.
  const whole = [allText(mail), source].join('\n');
  const returned = (): string[] => [...new Set([...keys, ...embedded(mail), ...answered, ...keysIn(whole)])];
  if (report === 'feedback-report') return { inbound: complaint(whole), keys: returned() };
  if (report === 'delivery-status') return { inbound: deliveryStatus(whole), keys: returned() };
  // Servers that write their own prose. An automatic answer comes from nobody, too, but by the name of a person.
  const fromServer = /^(?:mailer-daemon|postmaster)@/i.test(mail.from?.value[0]?.address ?? '');
  const failing =
    /undeliver|not delivered|delivery (?:status|fail|incomplete)|returned (?:mail|to sender)|failure notice|mail delivery/i.test(
      mail.subject ?? ''
    );
  if (fromServer ? failing || own.some((o) => o.use === 'bounce') : failing && envelope.from === '')
    return { inbound: prose(allText(mail)), keys: returned() };
  const text = ownWords(mail.text ?? '');
  const machine = isAutomatic(mail, text) || fromServer || envelope.from === '';
  // An empty mail says what its subject says.
  const said = text === '' ? (mail.subject ?? '').replace(/^(?:re|aw|fwd?|tr|rv|sv) ?: ?/i, '') : text;
  if (!machine && asksToStop(said)) return { inbound: { kind: 'unsubscribed' }, keys: [...keys, ...answered] };
  return { inbound: { kind: 'replied', text, subject: mail.subject ?? '', machine }, keys: [...keys, ...answered] };
}

function structured(mail: ParsedMail, name: string): { value: string; params: Record<string, string> } {
  const header = mail.headers.get(name);
  return typeof header === 'object' && 'value' in header && 'params' in header
    ? { value: String(header.value).toLowerCase(), params: header.params as Record<string, string> }
    : { value: '', params: {} };
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
    .flatMap((a) => keysIn(a.content.toString('utf8').slice(0, 100_000)));

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
  const code = Number(/(?:^|\s)([45]\d\d)(?=[\s-])/.exec(` ${error}`)?.[1] ?? (says ? `${says[0]}50` : '550'));
  const meaning = meaningOf({ code, text, command: 'RCPT TO' });
  return { kind: 'bounced', hard: meaning === 'mailbox', full: meaning === 'full', error };
}

function complaint(text: string): Inbound {
  const feedback = (/^Feedback-Type:\s*([\w-]+)/im.exec(text)?.[1] ?? 'abuse').toLowerCase();
  return feedback === 'not-spam' ? { kind: 'report', error: 'said to be no spam' } : { kind: 'complained', feedback };
}
