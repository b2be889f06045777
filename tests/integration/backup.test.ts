/** A dump taken while messages go out, restored: what it knew as sent is not sent again, and every link still works. */
import { execFile } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { promisify } from 'node:util';
import pg from 'pg';
import { afterEach, beforeEach, expect, inject, it } from 'vitest';
import { postgresBin } from '../../bin/postgres.ts';
import { openPool } from '../../server/db/pool.ts';
import { migrate } from '../../server/db/migrate.ts';
import { makeEngine } from '../../server/running/context.ts';
import { unsubscribed, workspaceSecret } from '../../server/intake/intake.ts';
import { signToken } from '../../server/intake/token.ts';
import { askChange } from '../../server/people/inputs.ts';
import { DAYS, journey, mail, MONDAY, reachable, wait } from '../make.ts';
import { addPeople, live, openWorld, skipTo, type World } from './world.ts';

const run = promisify(execFile);
let world: World;
let dir: string;
beforeEach(async () => {
  world = await openWorld();
  dir = mkdtempSync(join(tmpdir(), 'ambulo-backup-'));
});
afterEach(async () => {
  await world.close();
  rmSync(dir, { recursive: true });
});

/** An empty database in the same cluster. */
async function emptyDatabase(name: string): Promise<string> {
  const admin = new pg.Client({ connectionString: inject('keeper') });
  await admin.connect();
  await admin.query(`create database ${name} owner ambulo`);
  await admin.end();
  return inject('template').replace(/[^/]+$/, name);
}

it('doubles nothing that it knew as sent, goes on where it stood, and knows every link', async () => {
  const program = (name: string): string => join(postgresBin() ?? '', name);
  const file = join(dir, 'dump');
  const ids = await addPeople(
    world.pool,
    ['a', 'b', 'c'].map((n) => reachable(n, (p) => void p.fields.delete('phone')))
  );
  await live(world, journey([mail('first'), wait('w', 'P1D'), mail('second')]));
  await askChange(world.pool, ids.slice(0, 2), { addTags: ['in'] }, 'test');
  await skipTo(world, MONDAY);
  await run(program('pg_dump'), ['--format=custom', `--file=${file}`, world.url]);
  // Sent after the dump, to somebody whom it knew as not in the journey.
  await askChange(world.pool, ids.slice(2), { addTags: ['in'] }, 'test');
  await skipTo(world, MONDAY);
  const late = (await world.pool.query<{ id: number }>('select id from messages where person_id = $1', [ids[2]]))
    .rows[0]!;
  expect(world.postbox.mails).toHaveLength(3);

  const url = await emptyDatabase(`restored_${process.pid}`);
  await run(program('pg_restore'), ['--exit-on-error', '--no-owner', `--dbname=${url}`, file]);
  const pool = openPool(url);
  expect(await migrate(pool)).toEqual([]);
  const restored: World = { ...world, url, pool, engine: makeEngine(pool, world.engine.post, null, 0) };
  await skipTo(restored, MONDAY);
  expect(world.postbox.mails).toHaveLength(3);
  await skipTo(restored, MONDAY + 2 * DAYS);
  const to = world.postbox.mails.map((m) => `${m.subject} ${m.to}`).sort();
  expect(to).toEqual([
    'About first a@people.example',
    'About first b@people.example',
    'About first c@people.example',
    'About second a@people.example',
    'About second b@people.example'
  ]);
  // The way out in the mail that the dump knows nothing of.
  const secret = await workspaceSecret(pool);
  expect(secret).toEqual(world.secret);
  const link = signToken(secret, 'unsubscribe', { person: ids[2]!, message: late.id, number: 0 });
  expect(await unsubscribed(pool, link)).toBe(true);
  const consent = await pool.query<{ state: string }>(
    `select state from consents where person_id = $1 and channel = 'email'`,
    [ids[2]]
  );
  expect(consent.rows).toEqual([{ state: 'withdrawn' }]);
  for (const outbox of restored.engine.outboxes) outbox.close();
  await pool.end();
});
