/** What a worker holds while it runs: connections, plans, and how messages leave. */
import type { Config } from '../config.ts';
import type { Pool } from '../db/pool.ts';
import { workspaceSecret } from '../intake/intake.ts';
import { openMailer } from '../mail/smtp.ts';
import type { Post } from './dispatch.ts';
import { PlanBook } from './plans.ts';

export interface Engine {
  pool: Pool;
  plans: PlanBook;
  post: Post;
  /** Base address of the passers-by, where they run. */
  passersBy: string | null;
}

export async function openEngine(config: Config, pool: Pool): Promise<Engine> {
  return {
    pool,
    plans: new PlanBook(),
    post: {
      mailer: openMailer(config.SMTP_URL),
      smsUrl: config.SMS_URL,
      smsFrom: config.SMS_FROM,
      mailFrom: config.MAIL_FROM,
      mailDomain: config.MAIL_DOMAIN,
      base: config.AMBULO_URL,
      secret: await workspaceSecret(pool)
    },
    passersBy: config.PASSERS_BY_URL ?? null
  };
}
