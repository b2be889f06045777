/** A cluster for a benchmark, in a scratch folder, with fsync as in earnest. */
import { chmodSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { freePort, startCluster, type Cluster } from '../bin/postgres.ts';

export async function withCluster<T>(work: (cluster: Cluster, dir: string) => Promise<T>): Promise<T> {
  const dir = mkdtempSync(join(tmpdir(), 'ambulo-bench-'));
  chmodSync(dir, 0o755);
  const cluster = await startCluster({ dir: join(dir, 'postgres'), port: await freePort() });
  try {
    return await work(cluster, dir);
  } finally {
    await cluster.stop();
    rmSync(dir, { recursive: true, force: true });
  }
}
