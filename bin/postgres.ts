/**
 * A PostgreSQL cluster of our own on 127.0.0.1: made where it is missing,
 * started, stopped. As root it runs as the `postgres` user, in a directory that
 * user can reach; otherwise as the present user.
 */
import { execFile, spawn, type ChildProcess } from 'node:child_process';
import {
  chownSync,
  closeSync,
  existsSync,
  mkdirSync,
  openSync,
  readdirSync,
  readFileSync,
  rmSync,
  writeFileSync
} from 'node:fs';
import { createServer, type AddressInfo } from 'node:net';
import { join } from 'node:path';
import { promisify } from 'node:util';

const run = promisify(execFile);

export interface Cluster {
  /** Connection string of the database `ambulo`. */
  url: string;
  port: number;
  pid: number;
  /** Connection string of another database of the cluster, made anew. */
  createDatabase(name: string): Promise<string>;
  stop(): Promise<void>;
  /** Ends it at once, as a crash would. */
  kill(): Promise<void>;
}

export class MissingPostgres extends Error {}

/** The folder of the newest installed server's programs; `null` where there is none. */
export function postgresBin(): string | null {
  const root = '/usr/lib/postgresql';
  if (!existsSync(root)) return null;
  const versions = readdirSync(root).filter((v) => existsSync(join(root, v, 'bin', 'initdb')));
  const newest = versions.sort((a, b) => Number(b) - Number(a))[0];
  return newest ? join(root, newest, 'bin') : null;
}

export async function freePort(): Promise<number> {
  const server = createServer();
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  const { port } = server.address() as AddressInfo;
  await new Promise((resolve) => server.close(resolve));
  return port;
}

async function postgresUser(): Promise<{ uid: number; gid: number } | null> {
  if (process.getuid?.() !== 0) return null;
  const id = async (flag: string): Promise<number> => Number((await run('id', [flag, 'postgres'])).stdout);
  return { uid: await id('-u'), gid: await id('-g') };
}

export interface ClusterOptions {
  /** Holds the cluster; must be reachable by the user `postgres` when run as root. */
  dir: string;
  port: number;
  /** Without fsync: for tests, whose data need not outlive a power cut. */
  careless?: boolean;
}

export async function startCluster({ dir, port, careless = false }: ClusterOptions): Promise<Cluster> {
  const bin = postgresBin();
  if (!bin) throw new MissingPostgres('PostgreSQL is not installed');
  const user = await postgresUser();
  mkdirSync(dir, { recursive: true });
  if (user) chownSync(dir, user.uid, user.gid);
  const as = user
    ? { ...user, cwd: dir, env: { PATH: process.env['PATH'] ?? '', LC_ALL: 'C.UTF-8', HOME: dir } }
    : { cwd: dir };
  const data = join(dir, 'data');
  if (!existsSync(join(data, 'PG_VERSION'))) {
    rmSync(data, { recursive: true, force: true });
    await run(join(bin, 'initdb'), ['-D', data, '-U', 'ambulo', '-A', 'trust', '-E', 'UTF8', '--locale=C.UTF-8'], as);
  }
  const settings = [
    `listen_addresses = '127.0.0.1'`,
    `port = ${port}`,
    `unix_socket_directories = '${dir}'`,
    `timezone = 'UTC'`,
    `max_connections = 100`,
    `shared_buffers = '256MB'`,
    `log_min_messages = 'warning'`,
    ...(careless ? ['fsync = off', 'synchronous_commit = off', 'full_page_writes = off'] : [])
  ];
  writeFileSync(join(data, 'postgresql.auto.conf'), settings.join('\n') + '\n');
  // One file at a time, whoever owned it before.
  if (user) chownSync(join(data, 'postgresql.auto.conf'), user.uid, user.gid);
  // A start that was killed leaves its server running on this very directory.
  if (existsSync(join(data, 'postmaster.pid')))
    await run(join(bin, 'pg_ctl'), ['stop', '-D', data, '-m', 'fast'], as).catch(() => undefined);
  const logFile = join(dir, 'postgres.log');
  const log = openSync(logFile, 'a');
  const server: ChildProcess = spawn(join(bin, 'postgres'), ['-D', data], {
    ...as,
    stdio: ['ignore', log, log],
    detached: true
  });
  closeSync(log);
  const ended = new Promise<void>((resolve) => server.once('exit', () => resolve()));
  const admin = `postgresql://ambulo@127.0.0.1:${port}/postgres`;
  await ready(admin, server, () => readFileSync(logFile, 'utf8').slice(-2000));
  await createDatabase(admin, 'ambulo', false);
  const at = (name: string): string => `postgresql://ambulo@127.0.0.1:${port}/${name}`;
  return {
    url: at('ambulo'),
    port,
    pid: server.pid ?? 0,
    async createDatabase(name) {
      await createDatabase(admin, name, true);
      return at(name);
    },
    async stop() {
      if (server.exitCode === null) server.kill('SIGINT');
      await ended;
    },
    async kill() {
      if (server.exitCode === null) server.kill('SIGQUIT');
      await ended;
    }
  };
}

async function ready(url: string, server: ChildProcess, log: () => string): Promise<void> {
  const { default: pg } = await import('pg');
  const until = Date.now() + 60_000;
  for (;;) {
    if (server.exitCode !== null) throw new Error(`PostgreSQL did not start:\n${log()}`);
    // Something else may sit on this port and never answer.
    const client = new pg.Client({ connectionString: url, connectionTimeoutMillis: 2000 });
    try {
      await client.connect();
      await client.end();
      return;
    } catch (error) {
      // Not waited for: a connection that was never made may never end either.
      void client.end().catch(() => undefined);
      if (Date.now() > until)
        throw new Error(`PostgreSQL did not answer in a minute: ${(error as Error).message}\n${log()}`);
      await new Promise((resolve) => setTimeout(resolve, 100));
    }
  }
}

async function createDatabase(admin: string, name: string, anew: boolean): Promise<void> {
  const { default: pg } = await import('pg');
  const client = new pg.Client({ connectionString: admin });
  await client.connect();
  try {
    if (anew) await client.query(`drop database if exists ${pg.escapeIdentifier(name)} with (force)`);
    const { rowCount } = await client.query('select from pg_database where datname = $1', [name]);
    if (!rowCount) await client.query(`create database ${pg.escapeIdentifier(name)}`);
  } finally {
    await client.end();
  }
}
