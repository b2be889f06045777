/** One cluster for all integration tests, in a scratch folder, ended when they are done. */
import { mkdtempSync, chmodSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { TestProject } from 'vitest/node';
import { freePort, startCluster } from '../../bin/postgres.ts';

declare module 'vitest' {
  interface ProvidedContext {
    databasePort: number;
  }
}

export default async function setup(project: TestProject): Promise<() => Promise<void>> {
  const dir = mkdtempSync(join(tmpdir(), 'ambulo-integration-'));
  chmodSync(dir, 0o755);
  const cluster = await startCluster({ dir: join(dir, 'postgres'), port: await freePort(), careless: true });
  project.provide('databasePort', cluster.port);
  return async () => {
    await cluster.stop();
    rmSync(dir, { recursive: true, force: true });
  };
}
