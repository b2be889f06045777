/** Handing mail to the mail server: SMTP, pooled connections. */
import nodemailer from 'nodemailer';
import type { RenderedEmail } from './render.ts';

/** What became of handing a message over. */
export type Handed =
  | { ok: true }
  /** `temporary`: worth trying again; `bounced`: the address is no good; `failed`: anything else final. */
  | { ok: false; kind: 'temporary' | 'bounced' | 'failed'; error: string };

export interface Mail extends RenderedEmail {
  from: string;
  to: string;
  /** Derived from the outbox row, so that a repeat can be recognised. */
  messageId: string;
  /** Envelope sender of this one message (VERP), so that a bounce names it. */
  returnPath: string;
  /** UTC ms, of the workspace clock. */
  date: number;
}

export interface Mailer {
  send(mail: Mail): Promise<Handed>;
  close(): void;
}

export function openMailer(smtpUrl: string, maxConnections = 6): Mailer {
  const { hostname, port, protocol } = new URL(smtpUrl);
  const transport = nodemailer.createTransport({
    pool: true,
    host: hostname,
    port: Number(port || 25),
    secure: protocol === 'smtps:',
    ignoreTLS: protocol === 'smtp:',
    maxConnections,
    maxMessages: Infinity,
    connectionTimeout: 5_000,
    greetingTimeout: 5_000,
    socketTimeout: 15_000
  });
  return {
    async send(mail) {
      try {
        await transport.sendMail({
          from: mail.from,
          to: mail.to,
          subject: mail.subject,
          text: mail.text,
          html: mail.html,
          messageId: mail.messageId,
          date: new Date(mail.date),
          envelope: { from: mail.returnPath, to: mail.to },
          headers: {
            'List-Unsubscribe': `<${mail.unsubscribe}>`,
            'List-Unsubscribe-Post': 'List-Unsubscribe=One-Click',
            'Auto-Submitted': 'auto-generated'
          },
          // Content is text we hold already; nothing is read from files or addresses.
          disableFileAccess: true,
          disableUrlAccess: true
        });
        return { ok: true };
      } catch (error) {
        return refusal(error);
      }
    },
    close: () => transport.close()
  };
}

/** Sorts a refusal by its SMTP reply code: 4xx and broken connections are temporary (RFC 5321, 4.2.1). */
function refusal(error: unknown): Handed {
  const { message, responseCode, command } = error as { message: string; responseCode?: number; command?: string };
  const text = message.split('\n')[0] ?? 'unknown error';
  if (responseCode === undefined || responseCode < 500) return { ok: false, kind: 'temporary', error: text };
  return { ok: false, kind: command === 'RCPT TO' ? 'bounced' : 'failed', error: text };
}
