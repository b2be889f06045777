/** Where everything is: read from the environment once, checked, with what is missing named. */
import { z } from 'zod';

const environment = z.object({
  DATABASE_URL: z.url(),
  /** How people reach this application from their mail: links and pixels point here. */
  AMBULO_URL: z.url(),
  SMTP_URL: z.url(),
  MAIL_FROM: z.string().default('Quillmoor Observatory <desk@quillmoor.example>'),
  MAIL_DOMAIN: z.string().default('quillmoor.example'),
  /** Base address of the SMS gateway. */
  SMS_URL: z.url(),
  /** Shared with the gateway; signs what it sends us. */
  SMS_SECRET: z.string().min(16),
  SMS_FROM: z.string().default('Quillmoor'),
  /** Base addresses of the stand-ins, where they run. */
  POSTBOX_URL: z.url().optional(),
  HANDSET_URL: z.url().optional(),
  PASSERS_BY_URL: z.url().optional(),
  /** Shows the demo account on the sign-in page. */
  AMBULO_DEMO: z.enum(['0', '1']).default('0')
});

export type Config = z.infer<typeof environment>;

let config: Config | null = null;

/** The configuration; throws with every missing or wrong variable named. */
export function getConfig(): Config {
  if (config) return config;
  const read = environment.safeParse(process.env);
  if (!read.success) {
    const wrong = read.error.issues.map((i) => `  ${i.path.join('.')}: ${i.message}`).join('\n');
    throw new Error(`The environment is not complete:\n${wrong}\n"npm run demo" sets all of these.`);
  }
  return (config = read.data);
}
