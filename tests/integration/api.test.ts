/** Happenings from programs: what is right is stored, once; what is wrong is named, and disturbs nothing. */
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { keyOf, listKeys, makeKey, revokeKey } from '../../server/api/keys.ts';
import { openApi } from '../../server/api/openapi.ts';
import { MOST_EVENTS, takeEvents } from '../../server/intake/events.ts';
import { SettingsBook } from '../../server/workspace/settings.ts';
import { saveSettings } from '../../server/settings/save.ts';
import { settle } from '../../server/running/skip.ts';
import { runBatch } from '../../server/engine/batch.ts';
import { makeEngine } from '../../server/running/context.ts';
import { metrics } from '../../server/results/metrics.ts';
import type { Step } from '../../core/steps/index.ts';
import { branch, DAYS, HOUR, journey, mail, MONDAY, put, reachable, settings, wait } from '../make.ts';
import { addPeople, live, openWorld, skipTo, trailOf, type World } from './world.ts';

let world: World;
const book = new SettingsBook();
beforeEach(async () => {
  world = await openWorld();
  await addPeople(world.pool, [reachable('1'), reachable('2', (p) => p.fields.set('phone', '+447700900002'))]);
});
afterEach(() => world.close());

let n = 0;
const event = (type: string, data: object = {}, more: object = {}): object => ({
  specversion: '1.0',
  id: String(++n),
  source: 'https://shop.quillmoor.example',
  type,
  time: new Date(MONDAY).toISOString(),
  subject: '1',
  data,
  ...more
});
const take = (...events: unknown[]) => takeEvents(world.pool, book, events);
const steps = async (): Promise<unknown[]> =>
  (await trailOf(world.pool)).map((l) => `${l.person as string} ${l['what'] as string}`);
const stored = async (): Promise<number> =>
  (await world.pool.query<{ n: number }>(`select count(*) as n from happenings where source like 'api %'`)).rows[0]!.n;

describe('events', () => {
  it('begin and move walks like anything else that happens, and fill messages in', async () => {
    await live(
      world,
      journey(
        [
          { key: 'thanks', kind: 'email', subject: 'Order {{ entry.order }}', text: 'Thank you' },
          {
            key: 'l',
            kind: 'listen',
            for: [{ label: 'back', when: { happening: 'refunded', same: true }, lane: [put('back')] }],
            limit: 'P9D',
            otherwise: { label: 'kept', lane: [] }
          }
        ] as Step[],
        { entry: { on: [{ happening: 'purchased', product: 'membership' }] } }
      )
    );
    expect(
      await take(event('ambulo.purchased', { order: 'o7', amount: '40.00', items: [{ sku: 'membership' }] }))
    ).toEqual({ taken: 1, known: 0, refused: [] });
    await settle(world.engine, false);
    expect(world.postbox.mails[0]!.subject).toBe('Order o7');
    await take(event('ambulo.refunded', { order: 'other' }), event('ambulo.refunded', { order: 'o7' }));
    await settle(world.engine, false);
    expect((await trailOf(world.pool)).map((l) => l['what'])).toEqual([
      'entered',
      'sent',
      'waiting',
      'took',
      'tagged',
      'left'
    ]);
  });

  it('are about the latest message of a step or a channel, where they name one', async () => {
    const lanes = branch('b', 'yes', { did: 'opened', of: 'a' }, [put('opened')], [put('not')]);
    await live(
      world,
      journey([mail('a'), wait('w', 'P1D'), lanes], { entry: { on: [{ happening: 'tag_added', tag: 'in' }] } })
    );
    await take(
      event('ambulo.set', { addTags: ['in'] }),
      event('ambulo.set', { addTags: ['in'] }, { subject: '2@people.example' })
    );
    await skipTo(world, MONDAY + HOUR);
    await take(
      event('ambulo.opened', { of: 'a', journey: 'try' }),
      event('ambulo.opened', { channel: 'email' }, { subject: '+447700900002' })
    );
    await skipTo(world, MONDAY + 2 * DAYS);
    expect((await trailOf(world.pool)).filter((l) => l['what'] === 'tagged').map((l) => l['step'])).toEqual([
      'put-opened',
      'put-opened'
    ]);
  });

  it('told five times, by two at once and out of order, are applied once', async () => {
    const many = Array.from({ length: 20 }, (_, i) => event('ambulo.custom', { name: 'x', ref: String(i) }));
    await Promise.all([
      take(...many),
      take(...[...many].reverse()),
      take(...many),
      take(many[3]!, many[3]!),
      take(...many)
    ]);
    expect(await stored()).toBe(20);
    expect(await take(...many)).toMatchObject({ taken: 0, known: 20 });
    // The same event about somebody else is still the same event.
    expect(await take({ ...many[0], subject: '2' })).toMatchObject({ taken: 0, known: 1 });
  });

  it.each<[string, unknown, string]>([
    ['no event', 'hello', 'the document'],
    ['another version', event('ambulo.page_seen', { url: '/' }, { specversion: '0.3' }), 'specversion'],
    ['an unknown type', event('shop.bought'), 'type'],
    ['what follows from facts', event('ambulo.tag_added', { tag: 'x' }), 'type'],
    ['a person nobody knows', event('ambulo.page_seen', { url: '/' }, { subject: '99' }), 'subject'],
    [
      'a subject that is no number',
      event('ambulo.page_seen', { url: '/' }, { subject: "1'; drop table people" }),
      'subject'
    ],
    ['the future', event('ambulo.page_seen', { url: '/' }, { time: new Date(MONDAY + HOUR).toISOString() }), 'time'],
    ['data that does not fit', event('ambulo.purchased', { order: 'x', amount: 'much', items: [] }), 'data.amount'],
    ['a journey that is not there', event('ambulo.enter', { journey: 'nowhere' }), 'data.journey'],
    [
      'an address that somebody else has',
      event('ambulo.set', { fields: { email: '2@PEOPLE.example' } }),
      'data.fields.email'
    ],
    ['a zone that is none', event('ambulo.set', { fields: { zone: 'Moon/Crater' } }), 'data.fields.zone'],
    ['a text that no database takes', event('ambulo.set', { fields: { town: 'a\u0000b' } }), 'data.fields.town'],
    ['a tag longer than any', event('ambulo.set', { addTags: ['x'.repeat(5000)] }), 'data.addTags[0]'],
    ['a value longer than any', event('ambulo.set', { fields: { town: 'x'.repeat(5000) } }), 'data.fields.town'],
    ['too much', event('ambulo.custom', { name: 'x', data: { a: 'y'.repeat(70_000) } }), 'the event'],
    [
      'too deep',
      event('ambulo.custom', { name: 'x', data: JSON.parse(`${'{"a":'.repeat(500)}1${'}'.repeat(500)}`) as object }),
      'the event'
    ]
  ])('%s is refused with its reason, and the others are kept', async (_, wrong, path) => {
    const good = event('ambulo.page_seen', { url: '/' });
    const { taken, refused } = await take(good, wrong, event('ambulo.page_seen', { url: '/b' }));
    expect(taken).toBe(2);
    expect(refused).toHaveLength(1);
    expect(refused[0]!.index).toBe(1);
    expect(refused[0]!.problems.join('; ')).toMatch(new RegExp(`(^|; )${path.replace(/[.[\]]/g, '\\$&')}: `));
    await settle(world.engine, false);
    expect((await world.pool.query('select * from set_aside')).rows).toEqual([]);
  });

  it('from before a journey began are on record, and begin nothing', async () => {
    await skipTo(world, MONDAY + 9 * DAYS);
    await live(world, journey([put('x')], { entry: { on: [{ happening: 'page_seen' }], again: 'each' } }));
    await take(
      event('ambulo.page_seen', { url: '/' }),
      event('ambulo.page_seen', { url: '/' }, { time: new Date(MONDAY + 9 * DAYS).toISOString(), subject: '2' })
    );
    await settle(world.engine, false);
    expect(await steps()).toEqual(['2 entered', '2 tagged', '2 left']);
    expect(await stored()).toBe(2);
  });

  it('a field of a wrong type is refused where the settings say what it holds', async () => {
    expect(await saveSettings(world.pool, settings({ fields: [{ name: 'visits', type: 'number' }] }), 'test')).toEqual({
      ok: true
    });
    const { refused } = await take(event('ambulo.set', { fields: { visits: 'three' } }));
    expect(refused[0]!.problems).toEqual([expect.stringContaining('data.fields.visits')]);
  });

  it('a thousand at once are one statement’s work', async () => {
    const many = Array.from({ length: MOST_EVENTS }, (_, i) =>
      event('ambulo.page_seen', { url: `/${i}` }, { subject: String(1 + (i % 2)) })
    );
    expect(await take(...many)).toEqual({ taken: MOST_EVENTS, known: 0, refused: [] });
    await settle(world.engine, false);
    const { rows } = await world.pool.query<{ url: string }>(
      `select data ->> 'url' as url from happenings where person_id = 1 and source like 'api %' order by record`
    );
    expect(rows.map((r) => r.url)).toEqual(many.flatMap((_, i) => (i % 2 ? [] : [`/${i}`])));
  });
});

it('keys are shown once, known by their hash, and revoked at once', async () => {
  const token = await makeKey(world.pool, 'Shop', ['happenings:write'], 'test');
  expect(await keyOf(world.pool, `Bearer ${token}`)).toMatchObject({ name: 'Shop', scopes: ['happenings:write'] });
  for (const wrong of [null, '', token, `Bearer ${token}x`, `Basic ${token}`, `Bearer ${token.slice(0, -1)}`])
    expect(await keyOf(world.pool, wrong)).toBeNull();
  const [key] = await listKeys(world.pool);
  expect(JSON.stringify(key)).not.toContain(token.slice(7, -4));
  expect(await revokeKey(world.pool, key!.id)).toBe(true);
  expect(await revokeKey(world.pool, key!.id)).toBe(false);
  expect(await keyOf(world.pool, `Bearer ${token}`)).toBeNull();
});

it('the document of the API names every type that is taken', () => {
  const types = (
    openApi('https://ambulo.quillmoor.example') as {
      components: { schemas: { Event: { properties: { type: { enum: string[] } } } } };
    }
  ).components.schemas.Event.properties.type.enum;
  expect(types).toEqual(
    expect.arrayContaining(['ambulo.purchased', 'ambulo.set', 'ambulo.enter', 'ambulo.opened', 'ambulo.custom'])
  );
  expect(types).not.toContain('ambulo.sent');
});

it('figures for whoever watches say what waits and what was done, and nothing of anyone', async () => {
  await live(world, journey([mail('a'), wait('w', 'P1D')], { entry: { on: [{ happening: 'tag_added', tag: 'in' }] } }));
  await take(event('ambulo.set', { addTags: ['in'] }));
  const value = async (name: string): Promise<string | undefined> =>
    new RegExp(`^${name.replace(/[{}"]/g, '\\$&')} (.+)$`, 'm').exec((await metrics(world.pool)).text)?.[1];
  expect(await value('ambulo_inbox_waiting')).toBe('1');
  await settle(world.engine, false);
  expect(await value('ambulo_inbox_waiting')).toBe('0');
  expect(await value('ambulo_happened_total{what="sent"}')).toBe('1');
  expect(await value('ambulo_last_hour{what="gone-email"}')).toBe('1');
  expect(await value('ambulo_outbox_waiting{channel="email"}')).toBe('0');
  await world.pool.query(`update workspace set sending_stopped_at = now()`);
  expect(await value('ambulo_channel_stopped{channel="sms"}')).toBe('1');
  expect((await metrics(world.pool)).text).not.toMatch(/people\.example|\+44/);
});

it('messages go out no faster than a rate by channel and by domain allows, over several senders', async () => {
  const crowd = Array.from({ length: 9 }, (_, i) =>
    reachable(
      String(i + 3),
      (p) => (p.fields.delete('phone'), p.fields.set('email', `${i}@${i < 6 ? 'big' : 'small'}.example`))
    )
  );
  await addPeople(world.pool, crowd);
  await live(world, journey([mail('a')], { entry: { on: [{ happening: 'tag_added', tag: 'in' }] } }));
  // Three to a domain in five seconds, four in all.
  const slow = { ...world.engine.post, rates: { channel: { email: 48 }, domain: 36 } };
  const engines = [1, 2].map(() => makeEngine(world.pool, slow, null, 0));
  await take(...crowd.map((_, i) => event('ambulo.set', { addTags: ['in'] }, { subject: String(i + 3) })));
  while ((await runBatch(world.pool, engines[0]!.plans)).people);
  const began = Math.floor(Date.now() / 5000);
  for (let i = 0; i < 3; i++)
    for (const engine of engines) {
      await engine.outboxes[0]!.fill();
      await engine.outboxes[0]!.drain(5000);
    }
  const slots = Math.floor(Date.now() / 5000) - began + 1;
  const to = world.postbox.mails.map((m) => m.to.split('@')[1]);
  expect(to.length).toBeLessThanOrEqual(4 * slots);
  expect(to.filter((d) => d === 'big.example').length).toBeLessThanOrEqual(3 * slots);
  expect(to.length).toBeGreaterThan(2);
  const { rows } = await world.pool.query<{ n: number; tries: number }>(
    `select count(*) as n, max(attempts) as tries from messages where state = 'queued' and not_before > clock_timestamp()`
  );
  // What waits for its turn has not used up a try.
  expect(rows[0]).toEqual({ n: 9 - to.length, tries: 0 });
  for (const engine of engines) for (const outbox of engine.outboxes) outbox.close();
});
