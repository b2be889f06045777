/** What a worker holds while it runs: connections, plans, and how messages leave. */
import { readFileSync } from 'node:fs';
import { latestOf, lengthOf, type Config } from '../config.ts';
import type { Pool } from '../db/pool.ts';
import { workspaceSecret } from '../intake/intake.ts';
import { openMailer } from '../mail/smtp.ts';
import { callSecret, type Outward } from '../post/call.ts';
import { Errands } from '../post/errands.ts';
import { Outbox, type Post } from '../post/outbox.ts';
import { PlanBook } from '../engine/plans.ts';

export interface Engine {
  pool: Pool;
  plans: PlanBook;
  post: Post;
  /** One a channel, so that none waits for the other's server. */
  outboxes: Outbox[];
  errands: Errands;
  /** Base address of the passers-by, where they run. */
  passersBy: string | null;
  /** How long what is over is kept, ms of the workspace clock; `null` for ever. */
  keep: number | null;
}

/** A call of a web address is waited for so long. */
const CALL_MS = 10_000;

/** An engine over what it needs; `grace` as in {@link Outbox}. */
export function makeEngine(
  pool: Pool,
  post: Post,
  passersBy: string | null,
  grace?: number,
  outward: Partial<Outward> = {},
  /** Where outcomes that could not be recorded are kept over a restart. */
  folder: string | null = null
): Engine {
  const plans = new PlanBook();
  const outboxes = (['email', 'sms'] as const).map((channel) => new Outbox(channel, pool, plans, post, grace, folder));
  const errands = new Errands(pool, plans, post, {
    secret: callSecret(post.secret),
    allowed: [],
    timeout: CALL_MS,
    ...outward
  });
  return { pool, plans, post, outboxes, errands, passersBy, keep: null };
}

export async function openEngine(config: Config, pool: Pool): Promise<Engine> {
  const made = makeEngine(
    pool,
    {
      mailer: openMailer({
        url: config.SMTP_URL,
        tls: config.SMTP_TLS,
        ...(config.SMTP_CA_FILE ? { ca: readFileSync(config.SMTP_CA_FILE, 'utf8') } : {}),
        ...(config.SMTP_NAME ? { name: config.SMTP_NAME } : {})
      }),
      smsUrl: config.SMS_URL,
      smsFrom: config.SMS_FROM,
      mailFrom: config.MAIL_FROM,
      mailDomain: config.MAIL_DOMAIN,
      replyTo: config.MAIL_REPLY_TO ?? null,
      takesMail: config.MAIL_IN_PORT !== undefined,
      base: config.AMBULO_URL,
      secret: await workspaceSecret(pool),
      latest: latestOf(config),
      rates: {
        channel: {
          ...(config.EMAIL_PER_MINUTE ? { email: config.EMAIL_PER_MINUTE } : {}),
          ...(config.SMS_PER_MINUTE ? { sms: config.SMS_PER_MINUTE } : {})
        },
        domain: config.DOMAIN_PER_MINUTE
      }
    },
    config.PASSERS_BY_URL ?? null,
    undefined,
    { allowed: config.CALL_ALLOWED },
    config.UNRECORDED_FOLDER ?? null
  );
  return { ...made, keep: config.KEEP_HISTORY === undefined ? null : lengthOf(config.KEEP_HISTORY) };
}
