/** The brake: paused journeys, journeys that take nobody new in, all sending stopped. */
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { runBatch } from '../../server/engine/batch.ts';
import { brake, brakeFigures, halt, halted, lastAct } from '../../server/journeys/brake.ts';
import { SETTINGS_FORMAT } from '../../core/settings/schema.ts';
import { workCrowd } from '../../server/crowds/crowds.ts';
import { BATCHES_LOCK } from '../../server/engine/claim.ts';
import { setLive } from '../../server/journeys/going-live.ts';
import { rename } from '../../server/names/rename.ts';
import { saveSettings } from '../../server/settings/save.ts';
import { askChange, askEntry } from '../../server/people/inputs.ts';
import { messagesAhead } from '../../server/results/ahead.ts';
import { DAYS, HOUR, journey, mail, MONDAY, reachable, wait } from '../make.ts';
import { addPeople, dispatch, live, openWorld, react, skipTo, trailOf, type World } from './world.ts';

let world: World;
beforeEach(async () => {
  world = await openWorld();
});
afterEach(() => world.close());

const tag = (people: number[], name = 'in') => askChange(world.pool, people, { addTags: [name] }, 'test');
const said = async (person: number): Promise<string[]> =>
  (await trailOf(world.pool))
    .filter((l) => l['person'] === String(person) || l['person'] === person)
    .map((l) => [l['journey'], l['what'], l['reason'] ?? l['as'] ?? l['step']].join(' '));
const LATEST = { email: DAYS, sms: DAYS };

describe('a paused journey', () => {
  const lane = [mail('a'), wait('w', 'P1D'), mail('b')];

  it('moves nobody and sends nothing, what is written already included, while others go on', async () => {
    const [p, q] = await addPeople(world.pool, [reachable('p'), reachable('q', (x) => void x.fields.delete('phone'))]);
    await live(world, journey(lane));
    await live(world, {
      ...journey([mail('other')], { entry: { on: [{ happening: 'tag_added', tag: 'x' }] } }),
      key: 'others'
    });
    await tag([p!]);
    await skipTo(world, MONDAY);
    await tag([q!]);
    // Written, and not handed over yet.
    await runBatch(world.pool, world.engine.plans);
    expect(await brake(world.pool, 'try', 'pause', 'Nuala')).toBe(true);
    expect(await brake(world.pool, 'try', 'pause', 'Nuala')).toBe(false);
    expect(await brakeFigures(world.pool, 1, LATEST)).toEqual({ inside: 2, waiting: 1, tooLate: 0 });
    await tag([p!], 'x');
    await skipTo(world, MONDAY + 2 * DAYS);
    expect(world.postbox.mails.map((m) => m.subject)).toEqual(['About a', 'About other']);
    expect((await messagesAhead(world.pool)).messages).toEqual([]);
    expect(await lastAct(world.pool, 1)).toMatchObject({ what: 'pause', by: 'Nuala' });
    expect((await brakeFigures(world.pool, 1, LATEST)).tooLate).toBe(1);

    expect(await brake(world.pool, 'try', 'resume', 'Nuala')).toBe(true);
    await skipTo(world, MONDAY + 2 * DAYS + HOUR);
    // p’s wait was over long ago; q’s first mail had waited for longer than it may.
    expect(world.postbox.mails.map((m) => m.subject)).toEqual(['About a', 'About other', 'About b', 'About b']);
    const { rows } = await world.pool.query<{ trouble: string }>(`select trouble from messages where state = 'failed'`);
    expect(rows).toEqual([{ trouble: 'too-late' }]);
  });

  it('hears on going on, in its order, of what its people did meanwhile, once', async () => {
    const [p] = await addPeople(world.pool, [reachable('p')]);
    await live(
      world,
      journey([mail('a'), wait('w', 'P3D')], {
        goal: { when: { happening: 'clicked', of: 'a' }, leave: false },
        leaveWhen: [{ when: { happening: 'tag_added', tag: 'gone' }, reason: 'gone' }]
      })
    );
    await tag([p!]);
    await skipTo(world, MONDAY);
    await brake(world.pool, 'try', 'pause', 'Nuala');
    await react(world, p!, 'a', 'clicked');
    await tag([p!], 'gone');
    await skipTo(world, MONDAY + HOUR);
    expect((await said(p!)).filter((line) => /reached|left/.test(line))).toEqual([]);
    await brake(world.pool, 'try', 'resume', 'Nuala');
    await skipTo(world, MONDAY + 2 * HOUR);
    expect((await said(p!)).filter((line) => /reached|left/.test(line))).toEqual(['try reached ', 'try left gone']);
    // Paused and going on again, there is nothing left to hear of.
    await brake(world.pool, 'try', 'pause', 'Nuala');
    await brake(world.pool, 'try', 'resume', 'Nuala');
    await skipTo(world, MONDAY + 3 * HOUR);
    expect((await said(p!)).filter((line) => /left/.test(line))).toHaveLength(1);
  });

  it('is heard of what it missed before anything that comes after, whoever is told first that it goes on', async () => {
    const [p] = await addPeople(world.pool, [reachable('p')]);
    await live(
      world,
      journey([mail('a'), wait('w', 'P3D')], {
        leaveWhen: ['first', 'second'].map((name) => ({ when: { happening: 'tag_added', tag: name }, reason: name }))
      })
    );
    await tag([p!]);
    await skipTo(world, MONDAY);
    await brake(world.pool, 'try', 'pause', 'Nuala');
    await tag([p!], 'first');
    await skipTo(world, MONDAY + HOUR);
    await brake(world.pool, 'try', 'resume', 'Nuala');
    // Its portion of those who are told has not come when they do the next thing.
    await tag([p!], 'second');
    while ((await runBatch(world.pool, world.engine.plans)).people);
    expect((await said(p!)).filter((line) => /left/.test(line))).toEqual(['try left first']);
    await skipTo(world, MONDAY + 2 * HOUR);
    expect((await said(p!)).filter((line) => /left/.test(line))).toHaveLength(1);
    expect((await world.pool.query(`select kind, state from crowds`)).rows).toEqual([
      { kind: 'resume', state: 'done' }
    ]);
  });

  it('paused again before anybody has been told, goes on missing', async () => {
    const [p] = await addPeople(world.pool, [reachable('p')]);
    await live(
      world,
      journey([mail('a'), wait('w', 'P3D')], {
        leaveWhen: [{ when: { happening: 'tag_added', tag: 'gone' }, reason: 'gone' }]
      })
    );
    await tag([p!]);
    await skipTo(world, MONDAY);
    await brake(world.pool, 'try', 'pause', 'Nuala');
    await tag([p!], 'gone');
    await skipTo(world, MONDAY + HOUR);
    await brake(world.pool, 'try', 'resume', 'Nuala');
    await workCrowd(world.pool, world.engine.plans.settings);
    await brake(world.pool, 'try', 'pause', 'Nuala');
    await skipTo(world, MONDAY + 2 * HOUR);
    expect((await said(p!)).filter((line) => /left/.test(line))).toEqual([]);
    await brake(world.pool, 'try', 'resume', 'Nuala');
    await skipTo(world, MONDAY + 3 * HOUR);
    expect((await said(p!)).filter((line) => /left/.test(line))).toEqual(['try left gone']);
  });

  it('lets in on going on those who would have got in; by hand it refuses and says why', async () => {
    const [p, q] = await addPeople(world.pool, [reachable('p'), reachable('q', (x) => void x.fields.delete('phone'))]);
    await live(world, journey(lane));
    await brake(world.pool, 'try', 'pause', 'Nuala');
    await tag([p!]);
    await askEntry(world.pool, [q!], 'try', 'test');
    await skipTo(world, MONDAY);
    expect(await said(p!)).toEqual([]);
    expect(await said(q!)).toEqual(['try refused paused']);
    await brake(world.pool, 'try', 'resume', 'Nuala');
    await skipTo(world, MONDAY + HOUR);
    expect((await said(p!))[0]).toBe('try entered ');
    expect(world.postbox.mails.map((m) => m.subject)).toEqual(['About a']);
  });
});

it('a journey closed to new people goes on for those inside, until it is opened again', async () => {
  const [p, q] = await addPeople(world.pool, [reachable('p'), reachable('q', (x) => void x.fields.delete('phone'))]);
  await live(world, journey([mail('a'), wait('w', 'P1D'), mail('b')]));
  await tag([p!]);
  await skipTo(world, MONDAY);
  expect(await brake(world.pool, 'try', 'close', 'Nuala')).toBe(true);
  await tag([q!]);
  await skipTo(world, MONDAY + 2 * DAYS);
  expect(world.postbox.mails.map((m) => m.subject)).toEqual(['About a', 'About b']);
  expect(await said(q!)).toEqual([]);
  // Paused meanwhile, it is still closed when it goes on.
  expect(await brake(world.pool, 'try', 'pause', 'Nuala')).toBe(true);
  expect(await brake(world.pool, 'try', 'resume', 'Nuala')).toBe(true);
  expect(await brake(world.pool, 'try', 'close', 'Nuala')).toBe(false);
  expect(await brake(world.pool, 'try', 'reopen', 'Nuala')).toBe(true);
  await askChange(world.pool, [q!], { removeTags: ['in'] }, 'test');
  await tag([q!]);
  await skipTo(world, MONDAY + 2 * DAYS + HOUR);
  expect((await said(q!))[0]).toBe('try entered ');
});

it('all sending stops at once, the clock goes on, and what waited goes out when sending does', async () => {
  const [p] = await addPeople(world.pool, [reachable('p')]);
  await live(world, journey([mail('a')]));
  expect(await halt(world.pool, true, 'Nuala')).toBe(true);
  expect(await halt(world.pool, true, 'Nuala')).toBe(false);
  await tag([p!]);
  await skipTo(world, MONDAY + HOUR);
  expect(await dispatch(world)).toBe(0);
  expect(world.postbox.mails).toEqual([]);
  expect(await halted(world.pool)).toMatchObject({ by: 'Nuala', waiting: 1 });
  expect(await halt(world.pool, false, 'Nuala')).toBe(true);
  await skipTo(world, MONDAY + 2 * HOUR);
  expect(world.postbox.mails).toHaveLength(1);
  expect(await halted(world.pool)).toMatchObject({ since: null, waiting: 0 });
  const { rows } = await world.pool.query<{ what: string }>('select what from acts order by id');
  expect(rows.map((r) => r.what)).toEqual(['stop-sending', 'go-on-sending']);
});

describe('holds at once, whatever is under way:', () => {
  /** Somebody else's transaction that holds something, until it is let go. */
  async function holding(sql: string): Promise<() => Promise<void>> {
    const db = await world.pool.connect();
    await db.query('begin');
    await db.query(sql);
    return async () => {
      await db.query('rollback');
      db.release();
    };
  }
  const stateOf = async (): Promise<unknown> =>
    (await world.pool.query<{ state: string }>(`select state from journeys where key = 'try'`)).rows[0]?.state;

  it.each(['pause', 'close', 'end'] as const)('a long batch, for %s', async (act) => {
    await live(world, journey([mail('a')]));
    const letGo = await holding(`select pg_advisory_xact_lock_shared(${BATCHES_LOCK})`);
    const done = brake(world.pool, 'try', act, 'Nuala');
    await expect.poll(stateOf).not.toBe('live');
    expect(await done).toBe(true);
    await letGo();
  });

  it.each<[string, string, () => Promise<unknown>]>([
    [
      'settings whose segments everybody is counted for',
      'lock table people in access exclusive mode',
      () =>
        saveSettings(world.pool, { format: SETTINGS_FORMAT, segments: [{ name: 's', when: { tag: 'in' } }] }, 'Nuala')
    ],
    [
      'a journey that goes live for those there are',
      'lock table person_tags in access exclusive mode',
      async () => {
        const { rows } = await world.pool.query<{ draft_revision: number }>(
          `select draft_revision from journeys where key = 'try'`
        );
        return setLive(world.pool, 'try', rows[0]!.draft_revision, 'Nuala');
      }
    ],
    [
      'a field called otherwise for everybody',
      'lock table people in access exclusive mode',
      () => rename(world.pool, 'field', 'seat', 'place', 'Nuala')
    ]
  ])('%s', async (_, hold, long) => {
    await live(world, journey([mail('a')], { entry: { on: [{ happening: 'tag_added', tag: 'in' }], existing: true } }));
    await world.pool.query(`update journeys set draft = jsonb_set(draft, '{name}', '"Another"'), name = 'Another'`);
    const letGo = await holding(hold);
    const under = long();
    // It is there, and waits for what is held.
    await expect
      .poll(
        async () =>
          (
            await world.pool.query(
              `select from pg_stat_activity where wait_event_type = 'Lock' and datname = current_database()`
            )
          ).rowCount
      )
      .toBe(1);
    expect(await halt(world.pool, true, 'Nuala')).toBe(true);
    await world.pool.query(`update journeys set state = 'paused' where key = 'try'`);
    await letGo();
    await under;
  });
});
