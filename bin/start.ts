/**
 * Starts the whole of Ambulo on loopback: database, stand-ins, web server,
 * worker. Used by the demo and by the browser tests.
 */
import { DEMO_SENDER, DEMO_WORKSPACE } from '../demo/workspace.ts';
import { fork, type ChildProcess } from 'node:child_process';
import { createHash, randomBytes } from 'node:crypto';
import { closeSync, mkdirSync, openSync, readdirSync, rmSync } from 'node:fs';
import { createServer } from 'node:net';
import { join } from 'node:path';
import { createUser } from '../server/access/sessions.ts';
import { DEMO_USER } from '../server/access/demo-user.ts';
import { migrate } from '../server/db/migrate.ts';
import { openPool, ts, type Pool } from '../server/db/pool.ts';
import { lockFolder, ownFolder } from './data-folder.ts';
import { freePort, startCluster, type Cluster } from './postgres.ts';

export interface Running {
  web: string;
  databaseUrl: string;
  cluster: Cluster;
  pool: Pool;
  ports: Ports;
  env: Record<string, string>;
  /** True where the workspace was made just now. */
  fresh: boolean;
  /** Ends everything, in the order that loses nothing. */
  stop(): Promise<void>;
  /** Process id of the worker that runs now, for tests that end it. */
  workerPid(): number;
}

export interface Ports {
  web: number;
  database: number;
  smtp: number;
  postbox: number;
  handset: number;
  passersBy: number;
  mailIn: number;
}

export interface StartOptions {
  root: string;
  /** Where data, logs and the stand-ins' mail are kept. */
  dir: string;
  fresh: boolean;
  /** Ports to try first; a taken one is replaced. Absent: any free ones. */
  ports?: Ports;
  /** Where the practice clock of a new workspace begins, UTC ms. */
  clock: number;
  careless?: boolean;
  /** From when on the passers-by also come by and buy things, UTC ms; absent: never. */
  visitorsFrom?: number;
  say(line: string): void;
}

/** Empties a folder but for the file that says whose it is. */
function emptyFolder(dir: string): void {
  for (const name of readdirSync(dir))
    if (name !== 'in-use.json') rmSync(join(dir, name), { recursive: true, force: true });
}

async function isFree(port: number): Promise<boolean> {
  const server = createServer();
  return new Promise((resolve) => {
    server.once('error', () => resolve(false));
    server.listen(port, '127.0.0.1', () => server.close(() => resolve(true)));
  });
}

/** Ports that nobody listens on, those that are wanted first. */
export async function choosePorts(wanted: Ports | undefined, say: (line: string) => void): Promise<Ports> {
  const names = ['web', 'database', 'smtp', 'postbox', 'handset', 'passersBy', 'mailIn'] as const;
  const chosen = {} as Ports;
  for (const name of names) {
    const port = wanted?.[name];
    if (port !== undefined && (await isFree(port))) chosen[name] = port;
    else {
      // One that was chosen a moment ago is still free, and taken all the same.
      do chosen[name] = await freePort();
      while (Object.entries(chosen).some(([other, p]) => other !== name && p === chosen[name]));
      if (port !== undefined) say(`port ${port} (${name}) is taken; using ${chosen[name]} instead`);
    }
  }
  return chosen;
}

export async function start({
  root,
  dir,
  fresh,
  ports: wanted,
  clock,
  careless = false,
  visitorsFrom,
  say
}: StartOptions): Promise<Running> {
  let stopping = false;
  ownFolder(dir);
  const unlock = lockFolder(dir, `started at ${new Date().toISOString()}`);
  if (fresh) emptyFolder(dir);
  const ports = await choosePorts(wanted, say);
  say('starting PostgreSQL');
  const cluster = await startCluster({
    dir: join(dir, 'postgres'),
    port: ports.database,
    careless,
    again: (how) => {
      if (!stopping) say(`PostgreSQL ${how}`);
    }
  }).catch((error: unknown) => {
    unlock();
    throw error;
  });
  const pool = openPool(cluster.url);
  const children = new Set<ChildProcess>();
  const stop = async (): Promise<void> => {
    stopping = true;
    // The last started first: the worker ends before what it needs.
    for (const child of [...children].reverse()) await end(child);
    await pool.end().catch(() => undefined);
    await cluster.stop();
    unlock();
  };
  try {
    await migrate(pool, join(root, 'db/migrations'));
    const made = await makeWorkspace(pool, clock);
    const standinsDir = join(dir, 'stand-ins');
    // A new workspace has had no mail yet.
    if (made) rmSync(standinsDir, { recursive: true, force: true });
    mkdirSync(standinsDir, { recursive: true, mode: 0o700 });
    const web = `http://127.0.0.1:${ports.web}`;
    const env: Record<string, string> = {
      PATH: process.env['PATH'] ?? '',
      HOME: process.env['HOME'] ?? dir,
      NODE_ENV: 'production',
      DATABASE_URL: cluster.url,
      UNRECORDED_FOLDER: join(dir, 'unrecorded'),
      AMBULO_URL: web,
      AMBULO_DEMO: '1',
      ...DEMO_SENDER,
      ORIGIN: web,
      HOST: '127.0.0.1',
      PORT: String(ports.web),
      BODY_SIZE_LIMIT: '5M',
      SMTP_URL: `smtp://127.0.0.1:${ports.smtp}`,
      MAIL_IN_PORT: String(ports.mailIn),
      SMS_URL: `http://127.0.0.1:${ports.handset}`,
      SMS_SECRET: await handsetSecret(pool),
      POSTBOX_URL: `http://127.0.0.1:${ports.postbox}`,
      HANDSET_URL: `http://127.0.0.1:${ports.handset}`,
      PASSERS_BY_URL: `http://127.0.0.1:${ports.passersBy}`,
      POSTBOX_SMTP_PORT: String(ports.smtp),
      POSTBOX_HTTP_PORT: String(ports.postbox),
      HANDSET_PORT: String(ports.handset),
      PASSERS_BY_PORT: String(ports.passersBy),
      STANDINS_DIR: standinsDir,
      // Of this machine a journey's steps may call Postbox, which takes what is posted to /hook, and what whoever starts this names.
      CALL_ALLOWED: [`127.0.0.1:${ports.postbox}`, process.env['CALL_ALLOWED'] ?? ''].join(','),
      ...(visitorsFrom === undefined
        ? {}
        : { VISITORS_FROM: String(visitorsFrom), VISITORS_FILE: join(root, 'demo/people.csv') })
    };
    const launch = async (name: string, file: string, tsx: boolean): Promise<ChildProcess> => {
      const log = openSync(join(dir, `${name}.log`), 'a', 0o600);
      const execArgv = tsx ? ['--import', import.meta.resolve('tsx')] : [];
      // A group of its own, so that Ctrl C reaches only the one that then stops the others in order.
      const child = fork(join(root, file), [], {
        env,
        execArgv,
        cwd: root,
        stdio: ['ignore', log, log, 'ipc'],
        detached: true
      });
      closeSync(log);
      children.add(child);
      child.once('exit', (code, signal) => {
        children.delete(child);
        if (stopping) return;
        say(`${name} ended (${signal ?? code}); starting it again`);
        setTimeout(() => {
          if (!stopping) void launch(name, file, tsx).catch((error: Error) => say(error.message));
        }, 1000);
      });
      if (tsx) await told(child, name, dir);
      return child;
    };
    say('starting the stand-ins: Postbox, Handset, Passers-by');
    await launch('stand-ins', 'standins/main.ts', true);
    say('starting the web server');
    const server = await launch('web', 'bin/web.mjs', false);
    await answering(`${web}/health`, server, dir);
    say('starting the mail server that takes answers');
    await launch('receiver', 'bin/receiver.ts', true);
    say('starting the worker');
    await launch('worker', 'bin/worker.ts', true);
    return {
      web,
      databaseUrl: cluster.url,
      cluster,
      pool,
      ports,
      env,
      fresh: made,
      stop,
      workerPid: () => [...children].at(-1)?.pid ?? 0
    };
  } catch (error) {
    await stop();
    throw error;
  }
}

async function makeWorkspace(pool: Pool, clock: number): Promise<boolean> {
  const { name, zone, country, shownField, shownScore } = DEMO_WORKSPACE;
  const { rowCount } = await pool.query(
    `insert into workspace (name, zone, clock, practice_now, secret, country, shown_field, shown_score)
     values ($3, $4, 'practice', $1, $2, $5, $6, $7)
     on conflict do nothing`,
    [ts(clock), randomBytes(32), name, zone, country, shownField, shownScore]
  );
  if (!rowCount) return false;
  await createUser(pool, DEMO_USER);
  return true;
}

/** The secret shared with the gateway, made from the workspace's own, so that it stays the same. */
async function handsetSecret(pool: Pool): Promise<string> {
  const { rows } = await pool.query<{ secret: Buffer }>('select secret from workspace');
  return createHash('sha256')
    .update('handset')
    .update(rows[0]?.secret ?? '')
    .digest('hex');
}

function told(child: ChildProcess, name: string, dir: string): Promise<void> {
  return new Promise((resolve, reject) => {
    child.once('message', () => resolve());
    child.once('exit', (code) =>
      reject(new Error(`${name} ended with ${code} while starting; see ${dir}/${name}.log`))
    );
  });
}

async function answering(url: string, child: ChildProcess, dir: string): Promise<void> {
  const until = Date.now() + 30_000;
  for (;;) {
    if (child.exitCode !== null) throw new Error(`the web server ended while starting; see ${dir}/web.log`);
    const ok = await fetch(url).then(
      (r) => r.ok,
      () => false
    );
    if (ok) return;
    if (Date.now() > until) throw new Error(`the web server did not answer in 30 seconds; see ${dir}/web.log`);
    await new Promise((resolve) => setTimeout(resolve, 100));
  }
}

/** Asks a process to end, and ends it where it does not within ten seconds. */
async function end(child: ChildProcess): Promise<void> {
  if (child.exitCode !== null || child.signalCode !== null) return;
  const gone = new Promise<void>((resolve) => child.once('exit', () => resolve()));
  child.kill('SIGTERM');
  const timer = setTimeout(() => child.kill('SIGKILL'), 10_000);
  await gone;
  clearTimeout(timer);
}
