/** The SMTP server that takes answers, reports and complaints. It takes mail for our own domain only, and sends none. */
import { SMTPServer } from 'smtp-server';
import { isIPv6, type AddressInfo } from 'node:net';
import type { Logger } from 'pino';
import { RateLimiterMemory } from 'rate-limiter-flexible';
import { takeMail, type MailIn } from './take.ts';

export interface ReceiverSettings {
  port: number;
  host: string;
  /** What stands behind the @ of mail for us. */
  domain: string;
  /** How we call ourselves. */
  name: string;
}

export interface Receiver {
  port: number;
  close(): Promise<void>;
}

/** The largest mail that is taken, in bytes. */
const MOST_BYTES = 10_000_000;
const MOST_RECIPIENTS = 20;
/** At once, over all: each may hold a whole mail in memory. */
const MOST_CLIENTS = 60;
/** Nobody keeps the others out: so many connections from one address, so many mails a minute, so long at most. */
export const LIMITS = { connections: 10, mailsAMinute: 120, sessionMs: 5 * 60_000 };

const refuse = (responseCode: number, text: string): Error => Object.assign(new Error(text), { responseCode });

/** `limits`: {@link LIMITS}, but for receiving servers that are trusted: what they pass on comes from one address. */
export async function startReceiver(
  mailIn: MailIn,
  { port, host, domain, name }: ReceiverSettings,
  log: Logger,
  limits = LIMITS
): Promise<Receiver> {
  const open = new Map<string, number>();
  const ends = new Map<string, ReturnType<typeof setTimeout>>();
  const mails = new RateLimiterMemory({ points: limits.mailsAMinute, duration: 60 });
  const isTrusted = (address: string): boolean => {
    const plain = address.replace(/^::ffff:/i, '');
    return (mailIn.trusted ?? []).some(({ from }) => from.check(plain, isIPv6(plain) ? 'ipv6' : 'ipv4'));
  };
  const server = new SMTPServer({
    name,
    banner: 'Ambulo',
    disabledCommands: ['AUTH', 'STARTTLS'],
    disableReverseLookup: true,
    logger: false,
    size: MOST_BYTES,
    maxClients: MOST_CLIENTS,
    socketTimeout: 60_000,
    closeTimeout: 4000,
    onConnect: ({ id, remoteAddress }, done) => {
      const there = open.get(remoteAddress) ?? 0;
      open.set(remoteAddress, there + 1);
      if (there >= limits.connections && !isTrusted(remoteAddress))
        return done(refuse(421, '4.7.0 too many connections from your address'));
      ends.set(
        id,
        setTimeout(() => {
          for (const connection of server.connections as Set<{ session: { id: string }; close(): void }>)
            if (connection.session.id === id) connection.close();
        }, limits.sessionMs)
      );
      done();
    },
    onClose: ({ id, remoteAddress }) => {
      clearTimeout(ends.get(id));
      ends.delete(id);
      const there = (open.get(remoteAddress) ?? 1) - 1;
      if (there > 0) open.set(remoteAddress, there);
      else open.delete(remoteAddress);
    },
    onMailFrom: (_from, { remoteAddress }, done) => {
      if (isTrusted(remoteAddress)) return done();
      mails.consume(remoteAddress).then(
        () => done(),
        () => done(refuse(451, '4.7.0 too many mails from your address, try again later'))
      );
    },
    onRcptTo: ({ address }, session, done) => {
      if (!address.toLowerCase().endsWith(`@${domain.toLowerCase()}`))
        return done(refuse(550, '5.7.1 not a domain of ours'));
      if (session.envelope.rcptTo.length >= MOST_RECIPIENTS) return done(refuse(452, '4.5.3 too many recipients'));
      done();
    },
    onData: (stream, session, done) => {
      const pieces: Buffer[] = [];
      let bytes = 0;
      stream.on('data', (piece: Buffer) => {
        bytes += piece.length;
        // What is too large is read to its end, as the protocol wants, and not kept.
        if (bytes <= MOST_BYTES) pieces.push(piece);
        else pieces.length = 0;
      });
      stream.on('error', (error: Error) => done(error));
      stream.on('end', () => {
        if (stream.sizeExceeded || bytes > MOST_BYTES) return done(refuse(552, '5.3.4 larger than 10 MB'));
        const { mailFrom, rcptTo } = session.envelope;
        const envelope = {
          from: mailFrom ? mailFrom.address : '',
          to: rcptTo.map((r) => r.address),
          client: session.remoteAddress
        };
        takeMail(mailIn, Buffer.concat(pieces), envelope).then(
          (as) => {
            log.info({ as }, 'mail taken');
            done();
          },
          (error: unknown) => {
            log.error({ error: (error as Error).message }, 'a mail could not be taken; it has to come again');
            done(refuse(451, '4.3.0 cannot be taken at the moment, try again later'));
          }
        );
      });
    }
  });
  // A client that goes away in the middle is nothing to end the server for.
  server.on('error', () => undefined);
  await new Promise<void>((resolve, reject) => {
    server.server.once('error', reject);
    server.listen(port, host, () => resolve());
  });
  return {
    port: (server.server.address() as AddressInfo).port,
    close: () => new Promise((resolve) => server.close(() => resolve()))
  };
}
