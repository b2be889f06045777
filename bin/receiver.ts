/** Starts our own mail server: it takes answers, delivery reports, complaints and unsubscriptions by mail. */
import pino from 'pino';
import { getConfig, lengthOf } from '../server/config.ts';
import { openPool } from '../server/db/pool.ts';
import { onEnding } from '../server/ending.ts';
import { workspaceSecret } from '../server/intake/intake.ts';
import { startReceiver } from '../server/mail-in/receiver.ts';
import { whenThere } from './when-there.ts';

const log = pino({ name: 'receiver' });
const config = getConfig();
if (config.MAIL_IN_PORT === undefined) throw new Error('MAIL_IN_PORT says where mail is taken; it is not set.');
const pool = openPool(config.DATABASE_URL, 4);
let begun = false;
process.on('disconnect', () => begun || process.exit(0));
const secret = await whenThere(() => workspaceSecret(pool), log);
const receiver = await startReceiver(
  {
    pool,
    secret,
    soft: { count: config.SOFT_BOUNCES, within: lengthOf(config.SOFT_BOUNCES_WITHIN) },
    trusted: config.MAIL_IN_TRUSTED
  },
  {
    port: config.MAIL_IN_PORT,
    host: config.MAIL_IN_HOST,
    domain: config.MAIL_DOMAIN,
    name: config.SMTP_NAME ?? config.MAIL_DOMAIN
  },
  log
);
begun = true;
log.info({ port: receiver.port }, 'ready');
process.send?.('ready');

onEnding(() => {
  void receiver.close().then(async () => {
    await pool.end();
    process.exit(0);
  });
});
