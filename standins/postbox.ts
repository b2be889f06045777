/**
 * Postbox: a mail server that keeps what it is given and lets it be read. Takes
 * mail over SMTP, shows it over HTTP; follows a link the way a reader's browser
 * would. It keeps one mail for each Message-ID and counts repeats.
 */
import { simpleParser } from 'mailparser';
import { SMTPServer } from 'smtp-server';
import type { AddressInfo } from 'node:net';
import { z } from 'zod';
import { AS_A_READER, serve } from './http.ts';
import { keepIn } from './keep.ts';
import { ANSWERS, sendBack, type AnswerKind, type WayBack } from './postbox-answers.ts';

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
  /** Who handed it over and when, as they called themselves in EHLO: once more for each repeat. */
  senders: { name: string; at: number }[];
  opened: boolean;
}

export interface Postbox {
  smtpPort: number;
  httpPort: number;
  mails: StoredMail[];
  /** What the SMTP server answers: as usual, or always this code. */
  setTrouble(code: number | null, words?: string): void;
  /** How long it takes to answer for each mail, ms. */
  setDelay(ms: number): void;
  close(): Promise<void>;
}

const KEPT = 50_000;

/** Addresses that are answered as servers sometimes answer: a way to see what each answer does. */
const ODD: [RegExp, number, string][] = [
  [/^no-mailbox/i, 550, '5.1.1 no such mailbox'],
  [/^full/i, 552, '5.2.2 mailbox full'],
  [/^policy/i, 550, '5.7.1 not for us, by policy'],
  [/^later/i, 451, '4.7.1 greylisted, come back later']
];

/** Addresses whose server takes a mail and sends a report or an automatic answer afterwards. */
const LATER: [RegExp, AnswerKind][] = [
  [/^gone-later/i, 'gone'],
  [/^full-later/i, 'full'],
  [/^away/i, 'away']
];

const answered = z.object({
  id: z.number().int(),
  do: z.enum(ANSWERS),
  text: z.string().max(5000).default(''),
  at: z.iso.datetime()
});
const followed = z.object({ url: z.string().max(5000) });
/** Who handed a mail in where servers are in between: as the first of them writes it (RFC 5321, 4.4), to the second. */
function senderOf(headers: readonly { key: string; line: string }[]): { name: string; at: number } | null {
  const first = headers.findLast((h) => h.key === 'received')?.line ?? '';
  const name = /from (\S+)/.exec(first)?.[1];
  const at = Date.parse(first.slice(first.lastIndexOf(';') + 1).replace(/\([^)]*\)/g, ''));
  return name && Number.isFinite(at) ? { name, at } : null;
}

const troubled = z.object({
  code: z.number().int().min(400).max(599).nullable(),
  words: z.string().max(200).optional(),
  delay: z.number().int().min(0).max(600_000).optional()
});

/** `file`: where mail is kept over a restart. `back`: where answers and reports go. */
export async function startPostbox(
  ports: { smtp: number; http: number },
  file?: string,
  back: WayBack | null = null
): Promise<Postbox> {
  const kept = keepIn<StoredMail>(file);
  const mails = kept.load();
  const byMessageId = new Map(mails.map((m) => [m.messageId, m]));
  let nextId = (mails.at(-1)?.id ?? 0) + 1;
  let trouble: number | null = null;
  let words = '';
  let delay = 0;

  const refuse = (): Error | null => {
    if (trouble === null) return null;
    const text = words || (trouble < 500 ? 'try again later' : 'not accepted');
    return Object.assign(new Error(text), { responseCode: trouble });
  };

  const smtp = new SMTPServer({
    disabledCommands: ['AUTH', 'STARTTLS'],
    disableReverseLookup: true,
    logger: false,
    size: 10_000_000,
    onRcptTo: (address, _session, done) => {
      for (const [pattern, responseCode, said] of ODD) {
        if (pattern.test(address.address)) return done(Object.assign(new Error(said), { responseCode }));
      }
      done(refuse());
    },
    onData: (stream, session, done) => {
      const { mailFrom, rcptTo } = session.envelope;
      simpleParser(stream, { skipTextToHtml: true, skipHtmlToText: true }).then(
        (mail) => {
          const sender = senderOf(mail.headerLines) ?? { name: session.hostNameAppearsAs || '', at: Date.now() };
          const problem = refuse();
          if (problem) return done(problem);
          const answer = (error?: Error | null): void => void setTimeout(() => done(error), delay);
          const messageId = mail.messageId ?? `<without-id-${nextId}>`;
          const known = byMessageId.get(messageId);
          if (known) {
            known.repeats++;
            known.senders.push(sender);
            return answer();
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
            senders: [sender],
            opened: false
          };
          mails.push(stored);
          byMessageId.set(messageId, stored);
          if (mails.length > KEPT) {
            const dropped = mails.shift();
            if (dropped) byMessageId.delete(dropped.messageId);
          }
          // Accepted only once it is written down.
          kept.add(stored).then(() => {
            answer();
            const later = LATER.find(([pattern]) => pattern.test(stored.to));
            if (back && later) sendBack(back, stored, later[1], '', Date.parse(stored.date)).catch(() => undefined);
          }, answer);
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
      // Where a journey's step can post to.
      'POST /hook': () => ({ status: 200, json: { thanks: true } }),
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
        const { url } = followed.parse(body);
        if (!/^https?:\/\//i.test(url))
          return { status: 400, json: { error: 'only http and https links are followed' } };
        if (!mails.some((m) => m.text.includes(url)))
          return { status: 400, json: { error: 'no mail here has this link' } };
        const response = await fetch(url, {
          headers: AS_A_READER,
          redirect: 'manual',
          signal: AbortSignal.timeout(10_000)
        });
        return { status: 200, json: { status: response.status, location: response.headers.get('location') } };
      },
      'POST /api/answer': async ({ body }) => {
        const { id, do: kind, text, at } = answered.parse(body);
        const mail = mails.find((m) => m.id === id);
        if (!mail) return { status: 404, json: { error: 'no such mail' } };
        if (!back) return { status: 409, json: { error: 'nothing takes mail back here' } };
        try {
          await sendBack(back, mail, kind, text, Date.parse(at));
        } catch (error) {
          return { status: 502, json: { error: (error as Error).message } };
        }
        return { status: 200, json: { sent: kind } };
      },
      'POST /api/trouble': ({ body }) => {
        const wanted = troubled.parse(body);
        trouble = wanted.code;
        words = wanted.words ?? '';
        delay = wanted.delay ?? 0;
        return { status: 200, json: { code: trouble } };
      }
    },
    ports.http
  );
  return {
    smtpPort: (smtp.server.address() as AddressInfo).port,
    httpPort: http.port,
    mails,
    setTrouble: (code, said = '') => {
      trouble = code;
      words = said;
    },
    setDelay: (ms) => void (delay = ms),
    async close() {
      await http.close();
      await new Promise<void>((resolve) => smtp.close(() => resolve()));
    }
  };
}
