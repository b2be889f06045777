/** What readers and their mail servers send back about a mail: answers, automatic ones, delivery reports, complaints. */
import nodemailer from 'nodemailer';
import type { StoredMail } from './postbox.ts';

export const ANSWERS = ['reply', 'away', 'gone', 'full', 'prose', 'spam', 'unsubscribe'] as const;
export type AnswerKind = (typeof ANSWERS)[number];

/** Where Ambulo takes mail; `null` where it does not. */
export interface WayBack {
  port: number;
}

const headerOf = (mail: StoredMail, name: string): string | undefined =>
  mail.headers.find(([key]) => key === name)?.[1];
const addressIn = (text: string): string => /<([^<>\s]+@[^<>\s]+)>/.exec(text)?.[1] ?? text.trim();
/** The header lines of the mail that came, as a report returns them. */
const headersOf = (mail: StoredMail): string =>
  mail.headers.map(([key, value]) => `${key}: ${value.replace(/\r?\n/g, ' ')}`).join('\r\n');
const quoted = (mail: StoredMail): string =>
  mail.text
    .trim()
    .split('\n')
    .map((line) => `> ${line}`)
    .join('\n');

/** Sends it, as the owner of the address or the server of their mailbox would. `at`: UTC ms, for its Date header. */
export async function sendBack(
  { port }: WayBack,
  mail: StoredMail,
  kind: AnswerKind,
  text: string,
  at: number
): Promise<void> {
  const transport = nodemailer.createTransport({ host: '127.0.0.1', port, secure: false, ignoreTLS: true });
  const report = { from: '', to: mail.returnPath };
  const answerTo = addressIn(headerOf(mail, 'reply-to') ?? mail.from);
  const thread = { inReplyTo: mail.messageId, references: mail.messageId };
  const date = new Date(at);
  const server = `mx.${mail.to.split('@')[1] ?? 'people.example'}`;
  try {
    switch (kind) {
      case 'reply':
        await transport.sendMail({
          from: mail.to,
          to: answerTo,
          subject: `Re: ${mail.subject}`,
          text: `${text}\n\nOn ${date.toUTCString()}, ${mail.from} wrote:\n${quoted(mail)}\n`,
          date,
          ...thread
        });
        return;
      case 'away':
        await transport.sendMail({
          from: mail.to,
          to: mail.returnPath,
          envelope: report,
          subject: `Automatic reply: ${mail.subject}`,
          text: text || 'I am away until Monday.',
          headers: { 'Auto-Submitted': 'auto-replied' },
          date,
          ...thread
        });
        return;
      case 'gone':
      case 'full': {
        const [status, words] =
          kind === 'gone' ? ['5.1.1', '550 5.1.1 no such mailbox'] : ['4.2.2', '452 4.2.2 mailbox full'];
        await transport.sendMail({ envelope: report, raw: deliveryReport(mail, server, status, words, date) });
        return;
      }
      case 'prose':
        await transport.sendMail({
          from: `MAILER-DAEMON@${server}`,
          to: mail.returnPath,
          envelope: report,
          subject: 'Undeliverable: your message',
          text: `Hello, this is the mail program at ${server}.\nI could not deliver your message to <${mail.to}>.\n\n550 No such user here\n`,
          date
        });
        return;
      case 'spam':
        await transport.sendMail({ envelope: report, raw: complaint(mail, server, date) });
        return;
      case 'unsubscribe': {
        const to = /<mailto:([^?>]+)/.exec(headerOf(mail, 'list-unsubscribe') ?? '')?.[1];
        if (!to) throw new Error('this mail cannot be unsubscribed from by mail');
        await transport.sendMail({ from: mail.to, to, subject: 'unsubscribe', text: 'unsubscribe', date });
      }
    }
  } finally {
    transport.close();
  }
}

/** RFC 3464. */
function deliveryReport(mail: StoredMail, server: string, status: string, words: string, date: Date): string {
  return parts(mail, server, date, 'delivery-status', 'Undelivered Mail Returned to Sender', [
    ['text/plain; charset=utf-8', `Your message to <${mail.to}> could not be delivered.`],
    [
      'message/delivery-status',
      `Reporting-MTA: dns; ${server}\r\n\r\nFinal-Recipient: rfc822; ${mail.to}\r\nAction: failed\r\nStatus: ${status}\r\nDiagnostic-Code: smtp; ${words}\r\n`
    ],
    ['text/rfc822-headers', headersOf(mail)]
  ]);
}

/** RFC 5965. */
function complaint(mail: StoredMail, server: string, date: Date): string {
  return parts(mail, server, date, 'feedback-report', `FW: ${mail.subject}`, [
    ['text/plain; charset=utf-8', 'This is a report of abuse for a message received.'],
    ['message/feedback-report', 'Feedback-Type: abuse\r\nUser-Agent: Postbox/1\r\nVersion: 1\r\n'],
    ['message/rfc822', `${headersOf(mail)}\r\n\r\n${mail.text}`]
  ]);
}

function parts(
  mail: StoredMail,
  server: string,
  date: Date,
  kind: string,
  subject: string,
  all: [type: string, body: string][]
): string {
  const boundary = `postbox-${mail.id}`;
  const bodies = all.map(([type, body]) => `--${boundary}\r\nContent-Type: ${type}\r\n\r\n${body}\r\n`).join('');
  return [
    `From: <MAILER-DAEMON@${server}>`,
    `To: <${mail.returnPath}>`,
    `Subject: ${subject}`,
    `Date: ${date.toUTCString().replace('GMT', '+0000')}`,
    `Message-ID: <report-${mail.id}-${date.getTime()}-${kind}@${server}>`,
    'Auto-Submitted: auto-generated',
    'MIME-Version: 1.0',
    `Content-Type: multipart/report; report-type=${kind}; boundary="${boundary}"`,
    '',
    `${bodies}--${boundary}--`,
    ''
  ].join('\r\n');
}
