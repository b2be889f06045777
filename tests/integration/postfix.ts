/** Debian's own mail server on loopback, where it is installed: what it takes it passes on to one other server, and nowhere else. */
import { execFile } from 'node:child_process';
import { chmodSync, copyFileSync, existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { promisify } from 'node:util';
import { freePort } from '../../bin/postgres.ts';

const run = promisify(execFile);
const PROGRAM = '/usr/sbin/postfix';

/** Whether one can be started here: it wants to be started by root. */
export const hasPostfix = (): boolean => existsSync(PROGRAM) && process.getuid?.() === 0;

export interface Postfix {
  port: number;
  /** Whether it has passed on all that it took. */
  idle(): Promise<boolean>;
  stop(): Promise<void>;
}

/** `dir`: a folder that everybody may enter; `to`: the port of 127.0.0.1 that all mail goes to. */
export async function startPostfix(dir: string, to: number): Promise<Postfix> {
  const port = await freePort();
  const at = (name: string): string => join(dir, name);
  for (const name of ['config', 'queue', 'data']) mkdirSync(at(name), { recursive: true });
  chmodSync(dir, 0o755);
  const uid = Number((await run('id', ['-u', 'postfix'])).stdout);
  await run('chown', [String(uid), at('data')]);
  // Debian's own services, but for what listens: one door, on loopback.
  const services = readFileSync('/etc/postfix/master.cf', 'utf8')
    .split('\n')
    .filter((line) => !/^(?:smtp|submission|submissions|smtps|\d+)\s+inet/.test(line));
  writeFileSync(
    at('config/master.cf'),
    [
      `127.0.0.1:${port} inet n - n - - smtpd`,
      // No folder of its own is closed off around it: it is gone with the test.
      ...services.map((line) => line.replace(/^(\S+\s+\S+\s+\S+\s+\S+\s+)y(\s)/, '$1n$2')),
      'postlog unix-dgram n - n - 1 postlogd',
      ''
    ].join('\n')
  );
  writeFileSync(
    at('config/main.cf'),
    [
      'compatibility_level = 3.6',
      `queue_directory = ${at('queue')}`,
      `data_directory = ${at('data')}`,
      `maillog_file_prefixes = ${dir}`,
      `maillog_file = ${at('log')}`,
      'inet_interfaces = loopback-only',
      'inet_protocols = ipv4',
      'mynetworks = 127.0.0.0/8',
      'mydestination =',
      'alias_maps =',
      'alias_database =',
      `relayhost = [127.0.0.1]:${to}`,
      'disable_dns_lookups = yes',
      'smtp_host_lookup = native',
      'smtp_tls_security_level = none',
      'smtpd_relay_restrictions = permit_mynetworks, reject',
      'smtputf8_enable = no',
      ''
    ].join('\n')
  );
  if (existsSync('/etc/postfix/dynamicmaps.cf'))
    copyFileSync('/etc/postfix/dynamicmaps.cf', at('config/dynamicmaps.cf'));
  const postfix = (...words: string[]): Promise<{ stdout: string }> => run(PROGRAM, ['-c', at('config'), ...words]);
  await postfix('start');
  return {
    port,
    idle: async () => (await run('postqueue', ['-c', at('config'), '-j'])).stdout.trim() === '',
    stop: async () => void (await postfix('stop'))
  };
}
