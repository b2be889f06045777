/** The practice clock: from due instant to due instant, never past work, stopped when asked. And sessions. */
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { createUser, signIn, signOut, userOf } from '../../server/access/sessions.ts';
import { now, readClock, setPracticeClock } from '../../server/workspace/clock.ts';
import { askSkip, latestSkip, runAskedSkip, settle, SkipError, stopSkip } from '../../server/running/skip.ts';
import { migrate } from '../../server/db/migrate.ts';
import { isUnavailable, longTransaction, transaction, type Db } from '../../server/db/pool.ts';
import { askChange } from '../../server/people/inputs.ts';
import { DAYS, journey, mail, MONDAY, reachable, wait } from '../make.ts';
import { freePort } from '../../bin/postgres.ts';
import type { Step } from '../../core/steps/index.ts';
import { serve } from '../../standins/http.ts';
import { startPostbox } from '../../standins/postbox.ts';
import { addPeople, live, openWorld, trailOf, type World } from './world.ts';

let world: World;
beforeEach(async () => {
  world = await openWorld();
});
afterEach(() => world.close());

const inside = async (): Promise<void> => {
  await addPeople(world.pool, [reachable('p')]);
  await live(world, journey([mail('a'), wait('w', 'P2D'), mail('b'), wait('v', 'P3D'), mail('c')]));
  await askChange(world.pool, [1], { addTags: ['in'] }, 'test');
};

describe('skipping ahead', () => {
  it('halts at each due instant, and stands at the target in the end', async () => {
    await inside();
    await askSkip(world.pool, MONDAY + 10 * DAYS, false, 'test');
    expect(await runAskedSkip(world.engine)).toBe(true);
    expect(await now(world.pool)).toBe(MONDAY + 10 * DAYS);
    expect(await latestSkip(world.pool)).toMatchObject({ state: 'done', hops: 3, reached: MONDAY + 10 * DAYS });
    expect((await trailOf(world.pool)).filter((l) => l['what'] === 'sent').map((l) => l['at'])).toEqual(
      [0, 2, 5].map((d) => new Date(MONDAY + d * DAYS).toISOString())
    );
    expect(world.postbox.mails.map((m) => m.date)).toEqual(
      [0, 2, 5].map((d) => new Date(MONDAY + d * DAYS).toISOString())
    );
  });

  it('to the next thing due goes no further', async () => {
    await inside();
    await askSkip(world.pool, null, false, 'test');
    await runAskedSkip(world.engine);
    expect(await now(world.pool)).toBe(MONDAY + 2 * DAYS);
    expect(world.postbox.mails).toHaveLength(2);
  });

  it('with nothing due at all stays where it is', async () => {
    await askSkip(world.pool, null, false, 'test');
    await runAskedSkip(world.engine);
    expect(await now(world.pool)).toBe(MONDAY);
    expect(await latestSkip(world.pool)).toMatchObject({ state: 'done', hops: 0 });
  });

  it('stops when asked, between two instants', async () => {
    await inside();
    await askSkip(world.pool, MONDAY + 10 * DAYS, false, 'test');
    await stopSkip(world.pool);
    await runAskedSkip(world.engine);
    expect(await latestSkip(world.pool)).toMatchObject({ state: 'stopped' });
    expect(await now(world.pool)).toBe(MONDAY);
    // It stops within a second, whatever is under way: workers go on with what is due at that instant, and with nothing later.
    await settle(world.engine, false);
    expect(world.postbox.mails).toHaveLength(1);
    expect(await now(world.pool)).toBe(MONDAY);
  });

  it('is taken up again when its worker died', async () => {
    await inside();
    await askSkip(world.pool, MONDAY + 3 * DAYS, false, 'test');
    await world.pool.query(`update clock_skips set state = 'running', hops = 1`);
    expect(await runAskedSkip(world.engine)).toBe(true);
    expect(await now(world.pool)).toBe(MONDAY + 3 * DAYS);
  });

  it.each([
    ['back', MONDAY - 1, /never goes back/],
    ['to where it is', MONDAY, /never goes back/]
  ])('is refused %s', async (_, target, expected) => {
    await expect(askSkip(world.pool, target, false, 'test')).rejects.toThrow(expected);
  });

  it('is refused while another is under way, and on the real clock', async () => {
    await askSkip(world.pool, MONDAY + DAYS, false, 'test');
    await expect(askSkip(world.pool, MONDAY + DAYS, false, 'test')).rejects.toThrow(SkipError);
    await world.pool.query(`update workspace set clock = 'real'`);
    await expect(askSkip(world.pool, MONDAY + DAYS, false, 'test')).rejects.toThrow(/real clock/);
    expect(Math.abs((await readClock(world.pool)).now - Date.now())).toBeLessThan(60_000);
  });

  it('two workers do not both carry it out', async () => {
    await inside();
    await askSkip(world.pool, MONDAY + 10 * DAYS, false, 'test');
    const both = await Promise.all([runAskedSkip(world.engine), runAskedSkip(world.engine)]);
    expect(both.filter(Boolean)).toHaveLength(1);
    expect(world.postbox.mails).toHaveLength(3);
  });

  it('never moves the clock back', async () => {
    await setPracticeClock(world.pool, MONDAY - DAYS);
    expect(await now(world.pool)).toBe(MONDAY);
  });
});

describe('sessions', () => {
  const ada = { email: 'Ada@quillmoor.example', name: 'Ada', password: 'a long evening' };

  it('open with the right password only, and end', async () => {
    await createUser(world.pool, ada);
    expect(await signIn(world.pool, 'ada@quillmoor.example', 'wrong')).toBeNull();
    expect(await signIn(world.pool, 'nobody@quillmoor.example', ada.password)).toBeNull();
    const token = await signIn(world.pool, ' ADA@quillmoor.example', ada.password);
    expect(await userOf(world.pool, token!)).toMatchObject({ name: 'Ada' });
    expect(await userOf(world.pool, token! + 'x')).toBeNull();
    await signOut(world.pool, token!);
    expect(await userOf(world.pool, token!)).toBeNull();
  });

  it('run out, and keep neither password nor token', async () => {
    await createUser(world.pool, ada);
    const token = await signIn(world.pool, ada.email, ada.password);
    const { rows } = await world.pool.query<{ kept: string }>(
      `select (select password_hash from users) || encode((select token_hash from sessions), 'escape') as kept`
    );
    expect(rows[0]?.kept).toMatch(/^\$argon2id\$/);
    expect(rows[0]?.kept).not.toContain(token);
    await world.pool.query(`update sessions set expires_at = now() - interval '1 second'`);
    expect(await userOf(world.pool, token!)).toBeNull();
  });
});

describe('the database', () => {
  it('is migrated once', async () => expect(await migrate(world.pool)).toEqual([]));
  it('is migrated one file after the other; a file that was changed afterwards is refused by its name', async () => {
    const folder = mkdtempSync(join(tmpdir(), 'ambulo-migrations-'));
    const write = (name: string, sql: string): void => writeFileSync(join(folder, name), sql);
    write('9001_one.sql', 'create table one (n integer);');
    write('9002_two.sql', 'create table two (n integer); select 1 / 0;');
    await expect(migrate(world.pool, folder)).rejects.toThrow('division by zero');
    // What came before stands; of the one that failed nothing does.
    const there = (name: string): Promise<unknown> =>
      world.pool.query(`select to_regclass($1) is not null as there`, [name]).then((r) => r.rows[0]);
    expect([await there('one'), await there('two')]).toEqual([{ there: true }, { there: false }]);
    write('9002_two.sql', 'create table two (n integer);');
    expect(await migrate(world.pool, folder)).toEqual(['9002_two.sql']);
    // One that was applied before checksums were kept is known by what it is today.
    await world.pool.query(`update migrations set checksum = null where name = '9001_one.sql'`);
    expect(await migrate(world.pool, folder)).toEqual([]);
    write('9001_one.sql', 'create table one (n bigint);');
    await expect(migrate(world.pool, folder)).rejects.toThrow('9001_one.sql is not what was applied');
    rmSync(folder, { recursive: true });
  });
  it('lets no statement run for ever, but one that says so', async () => {
    const longest = (db: Db): Promise<unknown> => db.query('show statement_timeout').then((r) => r.rows[0]);
    expect(await longest(world.pool)).toEqual({ statement_timeout: '1min' });
    expect(await longTransaction(world.pool, longest)).toEqual({ statement_timeout: '1h' });
    expect(await longest(world.pool)).toEqual({ statement_timeout: '1min' });
  });

  it('takes back all of a transaction that throws', async () => {
    await expect(
      transaction(world.pool, async (db) => {
        await db.query(`insert into tags values ('half', now())`);
        throw new Error('in the middle');
      })
    ).rejects.toThrow('in the middle');
    expect((await world.pool.query('select from tags')).rowCount).toBe(0);
  });

  it.each([
    [Object.assign(new Error('x'), { code: 'ECONNREFUSED' }), true],
    [new AggregateError([Object.assign(new Error('x'), { code: 'ECONNREFUSED' })]), true],
    [Object.assign(new Error('x'), { code: '57P01' }), true],
    [new Error('Connection terminated unexpectedly'), true],
    [Object.assign(new Error('syntax error'), { code: '42601' }), false],
    ['text', false]
  ])('%s: away is %s', (error, away) => expect(isUnavailable(error)).toBe(away));
});

describe('a skip through trouble', () => {
  const askFor = (days: number) => askSkip(world.pool, MONDAY + days * DAYS, false, 'test');

  it('further than five years at once is refused, and the present stays one that pages can show', async () => {
    await expect(askSkip(world.pool, Date.parse('9999-12-31T00:00:00Z'), false, 'test')).rejects.toThrow(/five years/);
    expect(await latestSkip(world.pool)).toBeNull();
  });

  it('waits in real time for a mail server that is away, uses up no tries, and goes on by itself', async () => {
    const port = world.postbox.smtpPort;
    await inside();
    await world.postbox.close();
    await askFor(3);
    const skip = runAskedSkip(world.engine);
    await expect
      .poll(async () => (await latestSkip(world.pool))?.waiting, { timeout: 20_000 })
      .toMatch(/a message waits: .*ECONNREFUSED/);
    expect(await now(world.pool)).toBe(MONDAY);
    world.postbox = await startPostbox({ smtp: port, http: 0 });
    expect(await skip).toBe(true);
    expect(await latestSkip(world.pool)).toMatchObject({ state: 'done', waiting: null, reached: MONDAY + 3 * DAYS });
    expect(world.postbox.mails.map((m) => m.date.slice(0, 10))).toEqual(['2027-03-01', '2027-03-03']);
  });

  it('stops when asked, also while a server keeps it waiting', async () => {
    await inside();
    world.postbox.setDelay(8000);
    await askFor(10);
    const skip = runAskedSkip(world.engine);
    await expect.poll(() => world.engine.outboxes[0]!.busy).toBe(1);
    await stopSkip(world.pool);
    const asked = performance.now();
    await skip;
    const stopped = performance.now() - asked;
    expect(await latestSkip(world.pool)).toMatchObject({ state: 'stopped' });
    // Not the eight seconds that the server takes.
    expect(stopped).toBeLessThan(5000);
    await world.engine.outboxes[0]!.drain(20_000);
    expect(world.postbox.mails).toHaveLength(1);
  });

  it('survives passers-by that are away for a while, and the end of every connection', async () => {
    await inside();
    const port = await freePort();
    world.engine.passersBy = `http://127.0.0.1:${port}`;
    await askSkip(world.pool, MONDAY + 10 * DAYS, true, 'test');
    const skip = runAskedSkip(world.engine);
    await expect
      .poll(async () => (await latestSkip(world.pool))?.waiting, { timeout: 10_000 })
      .toMatch(/passers-by.*ECONNREFUSED/);
    const stood = await now(world.pool);
    const passersBy = await serve({ 'POST /clock': () => ({ status: 200, json: { done: 0, next: null } }) }, port);
    await skip;
    expect(stood).toBe(MONDAY);
    expect(await latestSkip(world.pool)).toMatchObject({ state: 'done' });
    // A connection that is cut leaves the row as it was, for whoever comes next.
    await askSkip(world.pool, MONDAY + 20 * DAYS, true, 'test');
    const cut = runAskedSkip(world.engine).then(
      () => 'done',
      (error: unknown) => (isUnavailable(error) ? 'cut' : 'other')
    );
    await world.pool
      .query(
        `select pg_terminate_backend(pid) from pg_stat_activity where datname = current_database() and pid <> pg_backend_pid()`
      )
      .catch(() => undefined);
    expect(['done', 'cut']).toContain(await cut);
    // As the worker does: again, as long as it meets connections that were cut.
    const goOn = () =>
      runAskedSkip(world.engine).then(
        async () => (await latestSkip(world.pool))?.state,
        () => 'cut'
      );
    await expect.poll(goOn).toBe('done');
    expect(await latestSkip(world.pool)).toMatchObject({ state: 'done', reached: MONDAY + 20 * DAYS });
    await passersBy.close();
  });

  it('is not held up by a message that nobody can send', async () => {
    await live(world, journey([{ ...mail('a'), subject: '{{ person.nothing }}' } as Step, wait('w'), mail('b')]));
    await addPeople(world.pool, [reachable('p'), reachable('policy.q', (p) => p.fields.delete('phone'))]);
    await askChange(world.pool, [1, 2], { addTags: ['in'] }, 'test');
    await askFor(3);
    await runAskedSkip(world.engine);
    expect(await latestSkip(world.pool)).toMatchObject({ state: 'done' });
    expect(world.postbox.mails.map((m) => m.subject)).toEqual(['About b']);
  });
});
