/** One cluster for all integration tests, in a scratch folder, ended when they are done. */
import { mkdtempSync, chmodSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { TestProject } from 'vitest/node';
import { migrate } from '../../server/db/migrate.ts';
import { openPool } from '../../server/db/pool.ts';
import { freePort, startCluster } from '../../bin/postgres.ts';

declare module 'vitest' {
  interface ProvidedContext {
    /** Connection string of the keeper's database, and the name of one that is migrated, to be copied. */
    keeper: string;
    template: string;
  }
}

export default async function setup(project: TestProject): Promise<() => Promise<void>> {
  const dir = mkdtempSync(join(tmpdir(), 'ambulo-integration-'));
  chmodSync(dir, 0o755);
  const cluster = await startCluster({ dir: join(dir, 'postgres'), port: await freePort(), careless: true });
  const template = await cluster.createDatabase('migrated');
  const pool = openPool(template, 1);
  await migrate(pool);
  await pool.end();
  project.provide('keeper', cluster.keeper);
  project.provide('template', template);
  return async () => {
    await cluster.stop();
    rmSync(dir, { recursive: true, force: true });
  };
}
