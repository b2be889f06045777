/** The database server that the start command keeps: made once, kept, ended, taken up again after a crash. */
import { chmodSync, existsSync, mkdtempSync, rmSync } from 'node:fs';
import { createServer, type Socket } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, it } from 'vitest';
import pg from 'pg';
import { freePort, postgresBin, startCluster, type Cluster } from '../../bin/postgres.ts';
import { isUnavailable, openPool } from '../../server/db/pool.ts';
import { migrate } from '../../server/db/migrate.ts';

let folder: string;
let dir: string;
let cluster: Cluster;

beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), 'ambulo-cluster-'));
  chmodSync(folder, 0o755);
  dir = join(folder, 'postgres');
  cluster = await startCluster({ dir, port: await freePort(), careless: true });
});
afterAll(async () => {
  await cluster.stop();
  rmSync(folder, { recursive: true, force: true });
});

async function ask(url: string, sql: string): Promise<Record<string, unknown>[]> {
  const client = new pg.Client({ connectionString: url });
  await client.connect();
  try {
    return (await client.query<Record<string, unknown>>(sql)).rows;
  } finally {
    await client.end();
  }
}

it('listens on loopback only, in UTF-8 and UTC', async () => {
  expect(await ask(cluster.url, 'show listen_addresses')).toEqual([{ listen_addresses: '127.0.0.1' }]);
  expect(await ask(cluster.url, 'show server_encoding')).toEqual([{ server_encoding: 'UTF8' }]);
  expect(await ask(cluster.url, 'show timezone')).toEqual([{ TimeZone: 'UTC' }]);
});

it('keeps what it holds when ended and started again, also on another port', async () => {
  await ask(cluster.url, 'create table kept as select 1 as n');
  await cluster.stop();
  cluster = await startCluster({ dir, port: await freePort(), careless: true });
  expect(await ask(cluster.url, 'select n from kept')).toEqual([{ n: 1 }]);
});

it('is taken up again after it was killed, and after whoever started it was', async () => {
  await cluster.kill();
  cluster = await startCluster({ dir, port: await freePort(), careless: true });
  expect(await ask(cluster.url, 'select n from kept')).toEqual([{ n: 1 }]);
  // The one before is still running: its start was killed without a chance to end it.
  const before = cluster;
  cluster = await startCluster({ dir, port: await freePort(), careless: true });
  expect(await ask(cluster.url, 'select n from kept')).toEqual([{ n: 1 }]);
  await expect(ask(before.url, 'select 1')).rejects.toThrow();
  await before.stop();
});

it('gives databases of their own, anew each time', async () => {
  const url = await cluster.createDatabase('a "strange" name');
  const named = url.replace(/[^/]+$/, encodeURIComponent('a "strange" name'));
  await ask(named, 'create table only_here ()');
  await cluster.createDatabase('a "strange" name');
  expect(await ask(named, `select count(*)::int as n from pg_tables where tablename = 'only_here'`)).toEqual([
    { n: 0 }
  ]);
});

it('a port that is taken is not taken from whoever has it', async () => {
  const callers: Socket[] = [];
  const other = createServer((socket) => void callers.push(socket.on('error', () => undefined)));
  await new Promise<void>((resolve) => other.listen(0, '127.0.0.1', resolve));
  const { port } = other.address() as { port: number };
  await expect(startCluster({ dir: join(folder, 'second'), port, careless: true })).rejects.toThrow(
    /PostgreSQL did not start/
  );
  expect(other.listening).toBe(true);
  for (const socket of callers) socket.destroy();
  await new Promise((resolve) => other.close(resolve));
});

it('is found where Debian puts it', () => expect(existsSync(join(postgresBin() ?? '', 'initdb'))).toBe(true));

it('work waits for a database that is away, and a wrong statement is not mistaken for that', async () => {
  const pool = openPool(cluster.url, 2);
  await migrate(pool);
  await expect(pool.query('select from nowhere')).rejects.toSatisfy((e) => !isUnavailable(e));
  await cluster.stop();
  await expect(pool.query('select 1')).rejects.toSatisfy(isUnavailable);
  cluster = await startCluster({ dir, port: cluster.port, careless: true });
  expect((await pool.query<{ n: number }>('select 1 as n')).rows).toEqual([{ n: 1 }]);
  await pool.end();
});

it('two that migrate at once do it once', async () => {
  const url = await cluster.createDatabase('twice');
  const pools = [openPool(url, 2), openPool(url, 2)];
  const [a, b] = await Promise.all(pools.map((pool) => migrate(pool)));
  expect([...a!, ...b!].sort()).toEqual([...new Set([...a!, ...b!])].sort());
  expect(a!.length + b!.length).toBeGreaterThan(3);
  await Promise.all(pools.map((pool) => pool.end()));
});
