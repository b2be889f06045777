/** The processes of a start: nothing outlives it, two never share a folder, nobody else's are touched. */
import { fork, spawn, type ChildProcess } from 'node:child_process';
import {
  chmodSync,
  existsSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  rmSync,
  statSync,
  symlinkSync,
  writeFileSync
} from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import pg from 'pg';
import { afterEach, beforeEach, expect, it } from 'vitest';
import { ownFolder } from '../../bin/data-folder.ts';
import { freePort, startCluster } from '../../bin/postgres.ts';

interface Started {
  child: ChildProcess;
  said: string[];
  ready: Promise<{ url: string; web: string; postgres: number }>;
  problem: Promise<string>;
}

let folder: string;
let dir: string;
const begun: ChildProcess[] = [];
beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), 'ambulo-processes-'));
  chmodSync(folder, 0o755);
  dir = join(folder, 'demo');
});
afterEach(async () => {
  for (const child of begun.splice(0)) child.kill('SIGKILL');
  await gone();
  rmSync(folder, { recursive: true, force: true });
});

function begin(): Started {
  const child = fork('tests/integration/started.ts', [dir], {
    execArgv: ['--import', 'tsx'],
    stdio: ['ignore', 'ignore', 'ignore', 'ipc']
  });
  begun.push(child);
  const said: string[] = [];
  let isReady: (value: { url: string; web: string; postgres: number }) => void;
  let isProblem: (value: string) => void;
  const ready = new Promise<{ url: string; web: string; postgres: number }>((resolve) => (isReady = resolve));
  const problem = new Promise<string>((resolve) => (isProblem = resolve));
  child.on(
    'message',
    (m: { said?: string; ready?: boolean; problem?: string; url: string; web: string; postgres: number }) => {
      if (m.said) said.push(m.said);
      if (m.ready) isReady(m);
      if (m.problem) isProblem(m.problem);
    }
  );
  return { child, said, ready, problem };
}

/** Processes that work on the folder: by their command line, or by what they were started with. */
function left(): string[] {
  return readdirSync('/proc')
    .filter((name) => /^\d+$/.test(name) && Number(name) !== process.pid)
    .flatMap((pid) => {
      try {
        const command = readFileSync(`/proc/${pid}/cmdline`, 'utf8').replaceAll('\0', ' ');
        const environment = readFileSync(`/proc/${pid}/environ`, 'utf8');
        return command.includes(dir) || environment.includes(dir) ? [command] : [];
      } catch {
        return [];
      }
    });
}
const gone = () => expect.poll(left, { timeout: 20_000, interval: 200 }).toEqual([]);

it.each([200, 1200, 2500, null])(
  'killed with -9 after %s ms (null: once it runs), it leaves nothing behind',
  async (after) => {
    const { child, ready } = begin();
    if (after === null) await ready;
    else await new Promise((resolve) => setTimeout(resolve, after));
    child.kill('SIGKILL');
    await gone();
    if (after !== null) return;
    // What it left on disk is taken up by the next start.
    const next = begin();
    await next.ready;
    expect((await fetch(`${(await next.ready).web}/health`)).status).toBe(200);
  }
);

it('a second start says who runs there and leaves it alone; files are for their owner only', async () => {
  const first = begin();
  const { url, web } = await first.ready;
  const second = begin();
  expect(await second.problem).toMatch(new RegExp(`Ambulo runs here already.*process ${first.child.pid}`));
  expect((await fetch(`${web}/health`)).status).toBe(200);
  for (const file of [
    'worker.log',
    'web.log',
    'stand-ins.log',
    'in-use.json',
    'postgres/passwords.json',
    'postgres/postgres.log'
  ])
    expect(statSync(join(dir, file)).mode & 0o077, file).toBe(0);
  for (const sub of ['stand-ins', 'postgres', 'postgres/data'])
    expect(statSync(join(dir, sub)).mode & 0o077, sub).toBe(0);
  expect(statSync(dir).mode & 0o066).toBe(0);
  // Without its password nobody connects; with it, nobody becomes more than the owner of one database.
  const without = new pg.Client({ connectionString: url.replace(/:[0-9a-f]{48}@/, ':wrong@') });
  await expect(without.connect()).rejects.toThrow(/password authentication failed/);
  const client = new pg.Client({ connectionString: url });
  await client.connect();
  expect(
    (await client.query(`select rolsuper, rolcreatedb, rolcreaterole from pg_roles where rolname = current_user`)).rows
  ).toEqual([{ rolsuper: false, rolcreatedb: false, rolcreaterole: false }]);
  await expect(client.query(`copy (select 1) to program 'true'`)).rejects.toThrow(/permission denied|superuser/);
  await client.end();
});

it('PostgreSQL that dies is started again, which is said, and everything goes on', async () => {
  const { ready, said } = begin();
  const { web, postgres } = await ready;
  process.kill(postgres, 'SIGKILL');
  await expect
    .poll(() => said.join('\n'), { timeout: 15_000 })
    .toMatch(/PostgreSQL ended \(SIGKILL\); starting it again[\s\S]*PostgreSQL started again/);
  await expect.poll(async () => (await fetch(`${web}/health`)).status, { timeout: 20_000 }).toBe(200);
});

it('a lock and a server’s file that were left by others long gone hold up nobody, and end nobody', async () => {
  const cluster = await startCluster({ dir: join(folder, 'postgres'), port: await freePort(), careless: true });
  await cluster.stop();
  const stranger = spawn('sleep', ['60'], { stdio: 'ignore' });
  begun.push(stranger);
  const file = join(folder, 'postgres/data/postmaster.pid');
  writeFileSync(file, `${stranger.pid}\n${join(folder, 'postgres/data')}\n`);
  const again = await startCluster({ dir: join(folder, 'postgres'), port: await freePort(), careless: true });
  expect(stranger.exitCode).toBeNull();
  expect(existsSync(`/proc/${stranger.pid}`)).toBe(true);
  await again.stop();
});

it('a folder that is a link, or cannot be written, is refused with a sentence', () => {
  symlinkSync(tmpdir(), join(folder, 'link'));
  expect(() => ownFolder(join(folder, 'link'))).toThrow(/is a link/);
  expect(() => ownFolder(join(folder, 'not-there/deep'))).toThrow(
    /cannot be made: the folder it is to be in is not there/
  );
  writeFileSync(join(folder, 'file'), '');
  expect(() => ownFolder(join(folder, 'file'))).toThrow(/is no folder/);
  expect(() => ownFolder('/proc/ambulo')).toThrow(/cannot be made/);
});
