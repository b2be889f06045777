/** Starts all stand-ins in one process, on the ports the environment gives. */
import { join } from 'node:path';
import { z } from 'zod';
import { startHandset } from './handset.ts';
import { startPassersBy } from './passers-by.ts';
import { startPostbox } from './postbox.ts';

const env = z
  .object({
    POSTBOX_SMTP_PORT: z.coerce.number(),
    POSTBOX_HTTP_PORT: z.coerce.number(),
    HANDSET_PORT: z.coerce.number(),
    PASSERS_BY_PORT: z.coerce.number(),
    AMBULO_URL: z.url(),
    MAIL_IN_PORT: z.coerce.number().optional(),
    SMS_SECRET: z.string(),
    /** Folder for what is kept over a restart; absent: nothing is. */
    STANDINS_DIR: z.string().optional(),
    PASSERS_BY_SEED: z.string().default('quillmoor'),
    /** From when on people come by, UTC ms, and the file of those who may; absent: nobody. */
    VISITORS_FROM: z.coerce.number().optional(),
    VISITORS_FILE: z.string().optional()
  })
  .parse(process.env);

const fileIn = (name: string): string | undefined => env.STANDINS_DIR && join(env.STANDINS_DIR, name);
const postbox = await startPostbox(
  { smtp: env.POSTBOX_SMTP_PORT, http: env.POSTBOX_HTTP_PORT },
  fileIn('postbox.ndjson'),
  env.MAIL_IN_PORT === undefined ? null : { port: env.MAIL_IN_PORT }
);
const handset = await startHandset({
  port: env.HANDSET_PORT,
  webhook: () => new URL('/hooks/sms', env.AMBULO_URL).toString(),
  secret: env.SMS_SECRET,
  file: fileIn('handset.ndjson')
});
const passersBy = await startPassersBy({
  port: env.PASSERS_BY_PORT,
  seed: env.PASSERS_BY_SEED,
  postbox: `http://127.0.0.1:${postbox.httpPort}`,
  handset: `http://127.0.0.1:${handset.port}`,
  visitors:
    env.VISITORS_FROM === undefined || env.VISITORS_FILE === undefined || env.STANDINS_DIR === undefined
      ? null
      : {
          from: env.VISITORS_FROM,
          file: env.VISITORS_FILE,
          api: new URL('/api/happenings', env.AMBULO_URL).toString(),
          keyFile: join(env.STANDINS_DIR, 'api-key')
        }
});

let ending = false;
const stop = (): void => {
  if (ending) return;
  ending = true;
  void Promise.all([postbox.close(), handset.close(), passersBy.close()]).then(() => process.exit(0));
};
process.on('SIGTERM', stop);
process.on('SIGINT', stop);
// Whoever started it is gone, however they went.
process.on('disconnect', stop);

process.send?.('ready');
