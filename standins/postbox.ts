/**
 * Postbox: a mail server that keeps what it is given and lets it be read. Takes
 * mail over SMTP, shows it over HTTP; follows a link the way a reader's browser
 * would. It keeps one mail for each Message-ID and counts repeats.
 */
import { simpleParser } from 'mailparser';
import { SMTPServer } from 'smtp-server';
import type { AddressInfo } from 'node:net';
import { serve } from './http.ts';
import { keepIn } from './keep.ts';

export interface StoredMail {
  id: number;
  messageId: string;
  /** The envelope's recipient. */
  to: string;
  returnPath: string;
  from: string;
  subject: string;
  /** The Date header, ISO. */
  date: string;
  text: string;
  html: string;
  headers: [string, string][];
  /** How often the same Message-ID came again. */
  repeats: number;
  opened: boolean;
}

export interface Postbox {
  smtpPort: number;
  httpPort: number;
  mails: StoredMail[];
  /** What the SMTP server answers: as usual, or always this code. */
  setTrouble(code: number | null): void;
  close(): Promise<void>;
}

const KEPT = 50_000;

/** `file`: where mail is kept over a restart. */
export async function startPostbox(ports: { smtp: number; http: number }, file?: string): Promise<Postbox> {
  const kept = keepIn<StoredMail>(file);
  const mails = kept.load();
  const byMessageId = new Map(mails.map((m) => [m.messageId, m]));
  let nextId = (mails.at(-1)?.id ?? 0) + 1;
  let trouble: number | null = null;

  const refuse = (): Error | null => {
    if (trouble === null) return null;
    const text = trouble < 500 ? 'try again later' : 'not accepted';
    return Object.assign(new Error(text), { responseCode: trouble });
  };

  const smtp = new SMTPServer({
    disabledCommands: ['AUTH', 'STARTTLS'],
    disableReverseLookup: true,
    logger: false,
    size: 10_000_000,
    onRcptTo: (address, _session, done) => {
      // Addresses of this form have no mailbox: a way to see what a hard bounce does.
      if (/^no-mailbox/i.test(address.address)) {
        return done(Object.assign(new Error('no such mailbox'), { responseCode: 550 }));
      }
      done(refuse());
    },
    onData: (stream, session, done) => {
      const { mailFrom, rcptTo } = session.envelope;
      simpleParser(stream, { skipTextToHtml: true, skipHtmlToText: true }).then(
        (mail) => {
          const problem = refuse();
          if (problem) return done(problem);
          const messageId = mail.messageId ?? `<without-id-${nextId}>`;
          const known = byMessageId.get(messageId);
          if (known) {
            known.repeats++;
            return done();
          }
          const stored: StoredMail = {
            id: nextId++,
            messageId,
            to: rcptTo[0]?.address ?? '',
            returnPath: mailFrom ? mailFrom.address : '',
            from: mail.from?.text ?? '',
            subject: mail.subject ?? '',
            date: (mail.date ?? new Date(0)).toISOString(),
            text: mail.text ?? '',
            html: mail.html || '',
            headers: mail.headerLines.map((h) => [h.key, h.line.slice(h.line.indexOf(':') + 1).trim()]),
            repeats: 0,
            opened: false
          };
          mails.push(stored);
          byMessageId.set(messageId, stored);
          if (mails.length > KEPT) {
            const dropped = mails.shift();
            if (dropped) byMessageId.delete(dropped.messageId);
          }
          // Accepted only once it is written down.
          kept.add(stored).then(() => done(), done);
        },
        (error: Error) => done(error)
      );
    }
  });
  // A client that goes away in the middle is nothing to end the server for.
  smtp.on('error', () => undefined);
  await new Promise<void>((resolve, reject) => {
    smtp.server.once('error', reject);
    smtp.listen(ports.smtp, '127.0.0.1', () => resolve());
  });

  const summary = ({ id, to, from, subject, date, opened, repeats }: StoredMail): object => ({
    id,
    to,
    from,
    subject,
    date,
    opened,
    repeats
  });
  const http = await serve(
    {
      'GET /api/mail': ({ query }) => {
        const after = Number(query.get('after') ?? 0);
        const search = (query.get('search') ?? '').toLowerCase();
        const limit = Number(query.get('limit') ?? 1000);
        const newest = query.get('order') === 'newest';
        const found = mails.filter(
          (m) =>
            m.id > after && (!search || m.to.toLowerCase().includes(search) || m.subject.toLowerCase().includes(search))
        );
        const page = newest ? found.slice(-limit).reverse() : found.slice(0, limit);
        const whole = query.get('whole') === '1';
        return { status: 200, json: { total: found.length, mail: whole ? page : page.map(summary) } };
      },
      'GET /api/mail/*': ({ path }) => {
        const mail = mails.find((m) => m.id === Number(path.split('/').pop()));
        if (!mail) return { status: 404, json: { error: 'no such mail' } };
        mail.opened = true;
        return { status: 200, json: mail };
      },
      'POST /api/follow': async ({ body }) => {
        // As a reader's browser: one request, and where it was sent on to.
        const { url } = JSON.parse(body) as { url: string };
        if (!mails.some((m) => m.text.includes(url)))
          return { status: 400, json: { error: 'no mail here has this link' } };
        const response = await fetch(url, { redirect: 'manual' });
        return { status: 200, json: { status: response.status, location: response.headers.get('location') } };
      },
      'POST /api/trouble': ({ body }) => {
        trouble = (JSON.parse(body) as { code: number | null }).code;
        return { status: 200, json: { code: trouble } };
      }
    },
    ports.http
  );
  return {
    smtpPort: (smtp.server.address() as AddressInfo).port,
    httpPort: http.port,
    mails,
    setTrouble: (code) => void (trouble = code),
    async close() {
      await http.close();
      await new Promise<void>((resolve) => smtp.close(() => resolve()));
    }
  };
}
