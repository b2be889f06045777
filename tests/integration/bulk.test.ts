/** References that are known to be there are not looked up; all others are, and so is everything behind. */
import { afterEach, beforeEach, expect, it } from 'vitest';
import { withKnownReferences } from '../../server/db/bulk.ts';
import { transaction, type Db } from '../../server/db/pool.ts';
import { openWorld, type World } from './world.ts';

let world: World;
beforeEach(async () => {
  world = await openWorld();
});
afterEach(() => world.close());

const tagNobody = (db: Db) =>
  db.query(`insert into person_tags (person_id, tag, since) values (4711, 'visitor', now())`);
const role = async (db: Db): Promise<string | undefined> =>
  (await db.query<{ role: string }>(`select current_setting('session_replication_role') as role`)).rows[0]?.role;

it('the application may ask for it', async () => {
  const seen: (string | undefined)[] = [];
  await transaction(world.pool, async (db) => {
    await withKnownReferences(db, async () => {
      seen.push(await role(db));
    });
    seen.push(await role(db));
  });
  expect(seen).toEqual(['replica', 'origin']);
});

it('what comes behind it, and another transaction after one that failed in it, is looked up as always', async () => {
  const behind = transaction(world.pool, async (db) => {
    await withKnownReferences(db, () => Promise.resolve());
    await tagNobody(db);
  });
  await expect(behind).rejects.toThrow(/foreign key/);
  const failed = transaction(world.pool, (db) =>
    withKnownReferences(db, async () => {
      await tagNobody(db);
      await db.query('select nothing');
    })
  );
  await expect(failed).rejects.toThrow(/nothing/);
  // As many as the pool may have: the one that failed is among them.
  await Promise.all(Array.from({ length: 10 }, () => expect(tagNobody(world.pool)).rejects.toThrow(/foreign key/)));
  expect((await world.pool.query('select from person_tags')).rowCount).toBe(0);
});
