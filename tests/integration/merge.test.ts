/** Two made one: walks, messages, consents and addresses of both go on as one person's; nothing is sent twice, nothing lost. */
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import fc from 'fast-check';
import { decideEarly } from '../../server/intake/early.ts';
import { clicked, workspaceSecret } from '../../server/intake/intake.ts';
import { signToken } from '../../server/intake/token.ts';
import { receivedText } from '../../server/intake/texts.ts';
import { importWhole } from '../../server/imports/whole.ts';
import { makeField } from '../../server/names/describe.ts';
import { askChange, askEntry, askHurry } from '../../server/people/inputs.ts';
import { compare, type Which } from '../../server/people/compare.ts';
import { merge, type Merged } from '../../server/people/merge.ts';
import { personPage } from '../../server/people/people.ts';
import { SettingsBook } from '../../server/workspace/settings.ts';
import { saveSettings } from '../../server/settings/save.ts';
import { newPerson } from '../../core/person/state.ts';
import { branch, DAYS, journey, mail, MONDAY, put, reachable, wait } from '../make.ts';
import { acts, journeys, LONG, people } from '../random.ts';
import { expectFiguresTrue, expectLabelsAddUp } from './figures.ts';
import { addPeople, dispatch, live, openWorld, react, READER, skipTo, type World } from './world.ts';

let world: World;
beforeEach(async () => {
  world = await openWorld();
});
afterEach(() => world.close());
const query = async <T extends object>(sql: string, values: unknown[] = []): Promise<T[]> =>
  (await world.pool.query<T>(sql, values)).rows;
const mergeNow = async (one: number, other: number, choose: Record<string, Which> = {}): Promise<Merged> => {
  const seen = (await compare(world.pool, one, other))?.seen ?? '';
  return merge(world.pool, new SettingsBook(), { one, other, choose, seen }, 'Ada');
};
const two = (): Promise<number[]> =>
  addPeople(world.pool, [
    reachable('a', (p) => p.fields.delete('phone')),
    reachable('b', (p) => p.fields.set('town', 'Port Elm').set('first_name', 'Bea'))
  ]);

describe('walks', () => {
  it('go on under new numbers, hear of what was done with messages that went out before, and none is walked twice', async () => {
    await two();
    await live(
      world,
      journey([
        mail('m1'),
        wait('w'),
        branch('b', 'clicked', { did: 'clicked', of: 'm1' }, [put('keen')], [put('cold')])
      ]),
      journey([mail('o1'), wait('w', 'P9D'), mail('o2')], {
        key: 'other',
        entry: { on: [{ happening: 'tag_added', tag: 'later' }] }
      })
    );
    await askChange(world.pool, [1], { addTags: ['later'] }, 'test');
    await skipTo(world, MONDAY + 1000);
    await askChange(world.pool, [2], { addTags: ['in', 'later'] }, 'test');
    await skipTo(world, MONDAY + DAYS / 2);
    const [sent] = await query<{ id: number }>(`select id from messages where person_id = 2 and step = 'm1'`);

    expect(await mergeNow(2, 1)).toEqual({ ok: true, person: 1 });
    // The link of the mail that went out under the number that is gone.
    const token = signToken(await workspaceSecret(world.pool), 'link', { person: 2, message: sent!.id, number: 1 });
    expect(await clicked(world.pool, token, READER)).toBe('https://quillmoor.example/m1');
    await skipTo(world, MONDAY + 20 * DAYS);
    const page = await personPage(world.pool, 1);
    expect(page?.tags.map((t) => t.tag)).toEqual(['in', 'keen', 'later']);
    expect(page?.walks.map((w) => [w.key, w.state]).sort()).toEqual([
      ['other', 'early'],
      ['other', 'finished'],
      ['try', 'finished']
    ]);
    // Each of them was in the other journey: its second mail comes once.
    expect(await query(`select step, count(*) as n from messages group by 1 order by 1`)).toEqual([
      { step: 'm1', n: 1 },
      { step: 'o1', n: 2 },
      { step: 'o2', n: 1 }
    ]);
    expect(world.postbox.mails).toHaveLength(4);
    await expectFiguresTrue(world.pool);
    await expectLabelsAddUp(world.pool);
    expect(await query('select id from people')).toEqual([{ id: 1 }]);
  });

  it('a message that waits goes out once, by the id it had; one of a walk that ends does not', async () => {
    await two();
    await live(world, journey([mail('m1'), wait('w'), mail('m2')]));
    await askChange(world.pool, [1, 2], { addTags: ['in'] }, 'test');
    const { runBatch } = await import('../../server/engine/batch.ts');
    await runBatch(world.pool, world.engine.plans);
    expect(await query('select state from messages')).toEqual([{ state: 'queued' }, { state: 'queued' }]);
    const found = await compare(world.pool, 1, 2);
    expect(found?.ends).toEqual([{ whose: 'b', walk: 1, key: 'try', journey: 'try' }]);
    await mergeNow(1, 2);
    await dispatch(world);
    await skipTo(world, MONDAY + 5 * DAYS);
    expect(await query(`select step, state from messages order by id`)).toEqual([
      { step: 'm1', state: 'sent' },
      { step: 'm1', state: 'failed' },
      { step: 'm2', state: 'sent' }
    ]);
    await expectFiguresTrue(world.pool);
  });

  it('while a message to the one who goes is in hand nothing is done, and tried messages keep their id', async () => {
    await two();
    await live(world, journey([mail('m1')]));
    await askChange(world.pool, [2], { addTags: ['in'] }, 'test');
    const { runBatch } = await import('../../server/engine/batch.ts');
    await runBatch(world.pool, world.engine.plans);
    await world.pool.query(
      `update messages set state = 'sending', attempts = 1, claim = 1, not_before = clock_timestamp() + interval '1 second'`
    );
    const merging = mergeNow(1, 2);
    await new Promise((resolve) => setTimeout(resolve, 600));
    expect(await query('select count(*) as n from people')).toEqual([{ n: 2 }]);
    // The sender died: the message waits for another try.
    await world.pool.query(`update messages set state = 'queued', not_before = null`);
    expect(await merging).toEqual({ ok: true, person: 1 });
    await skipTo(world, MONDAY + 1000);
    expect(world.postbox.mails.map((m) => m.messageId.split('.')[0])).toEqual(['<2']);
    // To the address that is theirs now.
    expect(world.postbox.mails[0]?.to).toBe('a@people.example');
  });
});

it('a request that waits is about the walk it named, and what somebody did last is what either did', async () => {
  await two();
  await live(world, journey([wait('w', 'P9D'), put('on')], { entry: { on: [{ happening: 'tag_added', tag: 'in' }] } }));
  await live(
    world,
    journey([wait('w', 'P9D'), put('off')], { key: 'other', entry: { on: [{ happening: 'tag_added', tag: 'later' }] } })
  );
  await askChange(world.pool, [1], { addTags: ['in'] }, 'test');
  await askChange(world.pool, [2], { addTags: ['later'] }, 'test');
  await skipTo(world, MONDAY + 1000);
  await world.pool.query(`update agenda set did = 'clicked', did_at = '2027-02-01' where person_id = 2`);
  // Pressed, and not worked off yet: each was their first walk.
  await askHurry(world.pool, 2, 1, 'w', 'Ada');
  await mergeNow(1, 2);
  await skipTo(world, MONDAY + 2000);
  expect((await personPage(world.pool, 1))?.walks.map((w) => [w.key, w.state]).sort()).toEqual([
    ['other', 'finished'],
    ['try', 'walking']
  ]);
  expect(await query('select did from agenda')).toEqual([{ did: 'clicked' }]);
});

describe('facts', () => {
  it('stay as chosen, and what does not stay is still known; further addresses are theirs', async () => {
    await makeField(world.pool, { name: 'town', type: 'text', options: [] }, 'Ada');
    await two();
    await setTown('Old Quay');
    const found = await compare(world.pool, 2, 1);
    expect(found?.facts.map((f) => [f.name, f.usual])).toEqual([
      ['email', 'a'],
      ['phone', 'b'],
      ['first_name', 'b'],
      ['town', 'a']
    ]);
    await mergeNow(1, 2, { town: 'b', email: 'b' });
    const page = await personPage(world.pool, 1);
    expect(page).toMatchObject({
      email: 'b@people.example',
      phone: '+447700900001',
      fields: { town: 'Port Elm', first_name: 'Bea' }
    });
    expect(page?.others).toMatchObject([{ address: 'a@people.example', channel: 'email' }]);
    expect(page?.timeline.find((l) => l.what === 'merged')?.detail).toMatchObject({
      by: 'Ada',
      was: { email: 'a@people.example', town: 'Old Quay' }
    });
    // A file, a program and a text know them by either.
    await importWhole(world.pool, Buffer.from('email,town\nA@people.example,Far Hill\n'), undefined, 'again.csv');
    await skipTo(world, MONDAY + 1000);
    expect(await personPage(world.pool, 1)).toMatchObject({ email: 'b@people.example', fields: { town: 'Far Hill' } });
    expect(await query('select count(*) as n from people')).toEqual([{ n: 1 }]);
  });

  it('a text from a further number is theirs', async () => {
    await addPeople(world.pool, [reachable('a', (p) => p.fields.set('phone', '+447700900002')), reachable('b')]);
    await mergeNow(1, 2);
    expect(await receivedText(world.pool, { id: 'x1', from: '+447700900001', to: '1', text: 'hello' })).toEqual({
      as: 'taken'
    });
    await skipTo(world, MONDAY + 1000);
    expect((await personPage(world.pool, 1))?.timeline.map((l) => l.what)).toContain('replied');
  });

  async function setTown(town: string): Promise<void> {
    await askChange(world.pool, [1], { fields: { town } }, 'test');
    await skipTo(world, MONDAY);
  }
});

describe('consent', () => {
  const consents = (): Promise<{ channel: string; state: string }[]> =>
    query('select channel, state from consents where person_id = 1 order by channel');

  it('is the stricter of both: withdrawn by either is withdrawn, and one for another address is none', async () => {
    await addPeople(world.pool, [
      reachable('a', (p) => {
        p.fields.delete('phone');
        p.consent = { email: 'given' };
      }),
      reachable('b', (p) => {
        p.consent = { email: 'withdrawn', sms: 'given' };
      })
    ]);
    await mergeNow(1, 2);
    expect(await consents()).toEqual([
      { channel: 'email', state: 'withdrawn' },
      { channel: 'sms', state: 'given' }
    ]);
    // Each that either gave or took back stays as proof.
    expect(await query('select channel, state, address from consent_records order by id')).toEqual([
      { channel: 'email', state: 'given', address: 'a@people.example' },
      { channel: 'email', state: 'withdrawn', address: 'b@people.example' },
      { channel: 'sms', state: 'given', address: '+447700900001' },
      { channel: 'email', state: 'withdrawn', address: 'a@people.example' },
      { channel: 'sms', state: 'given', address: '+447700900001' }
    ]);
  });

  it('given for the address that is not written to is not given', async () => {
    await addPeople(world.pool, [
      reachable('a', (p) => {
        p.consent = {};
      }),
      reachable('b', (p) => {
        p.fields.delete('phone');
        p.consent = { email: 'given' };
      })
    ]);
    await mergeNow(1, 2, { email: 'a' });
    expect(await consents()).toEqual([]);
  });
});

describe('refused', () => {
  it('what was not looked at, who is not there, and whose work is set aside', async () => {
    await two();
    const book = new SettingsBook();
    const asked = { one: 1, other: 2, choose: {}, seen: 'something else' };
    expect(await merge(world.pool, book, asked, 'Ada')).toMatchObject({
      ok: false,
      problem: /changed since you looked/
    });
    expect(await merge(world.pool, book, { ...asked, other: 9 }, 'Ada')).toMatchObject({ ok: false });
    expect(await compare(world.pool, 1, 1)).toBeNull();
    await world.pool.query(
      `insert into set_aside (person_id, error, attempts, since, next_try) values (2, 'x', 1, now(), now())`
    );
    expect(await mergeNow(1, 2)).toMatchObject({ ok: false, problem: /set aside/ });
    expect(await query('select count(*) as n from people')).toEqual([{ n: 2 }]);
  });
});

it('points and segments are those of both, and what a third was made one with is found through two', async () => {
  const saved = await saveSettings(
    world.pool,
    {
      format: 'ambulo.settings/1',
      scores: [{ name: 'interest', rules: [{ when: { happening: 'opened' }, add: 3 }] }],
      segments: [
        { name: 'warm', when: { score: 'interest', gte: 6 } },
        { name: 'no town', when: { not: { field: 'town', set: true } } }
      ]
    },
    'Ada'
  );
  expect(saved).toEqual({ ok: true });
  await addPeople(world.pool, [
    reachable('a', (p) => p.fields.delete('phone')),
    reachable('b', (p) => p.fields.set('town', 'x')),
    reachable('c', (p) => p.fields.delete('phone'))
  ]);
  await live(world, journey([mail('m1')]));
  await askChange(world.pool, [1, 2, 3], { addTags: ['in'] }, 'test');
  await skipTo(world, MONDAY + 1000);
  for (const person of [1, 2, 3]) await react(world, person, 'm1', 'opened');
  await skipTo(world, MONDAY + 2000);
  const [third] = await query<{ id: number }>('select id from messages where person_id = 3');
  await mergeNow(2, 3);
  await mergeNow(1, 2);
  await skipTo(world, MONDAY + 3000);
  expect(await personPage(world.pool, 1)).toMatchObject({ scores: [{ score: 'interest', points: 9 }] });
  expect(await query('select segment from person_segments')).toEqual([{ segment: 'warm' }]);
  const token = signToken(await workspaceSecret(world.pool), 'link', { person: 3, message: third!.id, number: 1 });
  expect(await clicked(world.pool, token, READER)).toBe('https://quillmoor.example/m1');
  await decideEarly(world.pool, true);
  await skipTo(world, MONDAY + 4000);
  // Their third walk, whose message was the third one's.
  expect(await query(`select walk_id from happenings where name = 'clicked'`)).toEqual(
    await query(`select walk_id from messages where id = ${third!.id}`)
  );
  await expectFiguresTrue(world.pool);
  await expectLabelsAddUp(world.pool);
});

it('random lives made one at random moments: figures stay true, each message goes out once, work goes on', async () => {
  let made = 0;
  await fc.assert(
    fc.asyncProperty(
      journeys,
      people(4),
      acts(8),
      fc.array(fc.tuple(fc.nat(3), fc.nat(3), fc.nat(7)), { minLength: 1, maxLength: 2 }),
      async (plans, crowd, list, pairs) => {
        const one = await openWorld();
        const former = world;
        world = one;
        try {
          await addPeople(
            one.pool,
            crowd.map((p, i) => ({
              ...newPerson(p.id),
              fields: new Map(p.fields).set('phone', `+4477009${String(10000 + i)}`),
              consent: { ...p.consent }
            }))
          );
          for (const plan of plans) await live(one, plan);
          for (const [i, act] of list.entries()) {
            await skipTo(one, MONDAY + act.after);
            for (const [x, y, when] of pairs) {
              if (when !== i || x === y) continue;
              const done = await mergeNow(x + 1, y + 1);
              if (done.ok) made++;
            }
            const [now] = await query<{ id: number }>('select person_now($1) as id', [(act.person % 4) + 1]);
            const id = now!.id;
            if (act.do === 'tag') await askChange(one.pool, [id], { addTags: [act.what] }, 'test');
            else if (act.do === 'untag') await askChange(one.pool, [id], { removeTags: [act.what] }, 'test');
            else if (act.do === 'consent')
              await askChange(one.pool, [id], { consent: { sms: act.what as 'given' } }, 'test');
            else if (act.do === 'enter') await askEntry(one.pool, [id], act.what, 'test');
            else await react(one, id, act.what, act.do, {}, 'one');
          }
          await skipTo(one, MONDAY + LONG);
          await expectFiguresTrue(one.pool);
          await expectLabelsAddUp(one.pool);
          expect(await query('select person_id, error from set_aside')).toEqual([]);
          const ids = one.postbox.mails.map((m) => m.messageId);
          expect(new Set(ids).size).toBe(ids.length);
          const [sent] = await query<{ mails: number; texts: number }>(
            `select count(*) filter (where channel = 'email') as mails, count(*) filter (where channel = 'sms') as texts
             from messages where state = 'sent'`
          );
          expect([ids.length, one.handset.texts.length]).toEqual([sent!.mails, sent!.texts]);
        } finally {
          world = former;
          await one.close();
        }
      }
    ),
    { numRuns: 15, seed: 20270301 }
  );
  expect(made).toBeGreaterThan(5);
}, 300_000);
