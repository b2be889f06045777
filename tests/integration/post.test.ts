/** Mail and text over the real protocols: what arrives, what is tried again, what is never sent twice. */
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { DAYS, journey, mail, MONDAY, reachable, text, wait } from '../make.ts';
import type { Step } from '../../core/steps/index.ts';
import { MINUTE } from '../../core/time/duration.ts';
import { backoff, dispatch } from '../../server/engine/dispatch.ts';
import { retryMessage } from '../../server/engine/retry.ts';
import { readToken } from '../../server/intake/token.ts';
import { askChange } from '../../server/people/inputs.ts';
import { runBatch } from '../../server/engine/batch.ts';
import { addPeople, live, openWorld, skipTo, trailOf, type World } from './world.ts';

let world: World;
beforeEach(async () => {
  world = await openWorld();
});
afterEach(() => world.close());

const messages = async () =>
  (
    await world.pool.query<{ state: string; attempts: number; error: string | null; try_at: number }>(
      'select state, attempts, error, try_at from messages order by id'
    )
  ).rows;
const enter = async (...lane: Step[]): Promise<void> => {
  await live(world, journey(lane));
  await askChange(world.pool, [1], { addTags: ['in'] }, 'test');
};

describe('an email', () => {
  it('arrives by SMTP: both parts, personal fields, one-click unsubscribe, an address to bounce to', async () => {
    await addPeople(world.pool, [reachable('p', (p) => void p.fields.set('first_name', 'Ada <b>'))]);
    await enter({
      ...mail('a'),
      subject: 'Hi {{ person.first_name | default: "there" }}\r\nBcc: x@x.example',
      preview: 'Before all',
      text: 'Hello {{ person.first_name }}, {{ person.nickname | default: "stargazer" }}\n\nhttps://quillmoor.example/a?x=1&y=2'
    } as Step);
    await skipTo(world, MONDAY);
    expect(world.postbox.mails).toHaveLength(1);
    const m = world.postbox.mails[0]!;
    const headers = new Map(m.headers);
    expect(m.subject).toBe('Hi Ada <b> Bcc: x@x.example');
    expect(m.to).toBe('p@people.example');
    expect(m.date).toBe('2027-03-01T09:00:00.000Z');
    expect(m.messageId).toBe('<1.1.a.1@quillmoor.example>');
    expect(m.returnPath).toBe('bounce+1.1.a.1@quillmoor.example');
    expect(m.text).toContain('Hello Ada <b>, stargazer');
    expect(m.html).toContain('Hello Ada &lt;b&gt;, stargazer');
    expect(headers.get('list-unsubscribe-post')).toBe('List-Unsubscribe=One-Click');
    expect(headers.get('auto-submitted')).toBe('auto-generated');
    const token = (use: 'open' | 'link' | 'unsubscribe', from: string): unknown =>
      readToken(world.secret, use, /\/[oul]\/([\w-]+)/.exec(from)![1]!);
    expect(token('unsubscribe', headers.get('list-unsubscribe')!)).toEqual({ person: 1, message: 1, number: 0 });
    expect(token('link', /http:\/\/127\S+\/l\/\S+/.exec(m.text)![0])).toEqual({ person: 1, message: 1, number: 1 });
    expect(token('open', /<img src="([^"]+)"/.exec(m.html)![1]!)).toEqual({ person: 1, message: 1, number: 0 });
    expect((await messages())[0]).toMatchObject({ state: 'sent', attempts: 1 });
  });

  it('that a server refuses for a while is tried again, later each time, and arrives once', async () => {
    await addPeople(world.pool, [reachable('p')]);
    world.postbox.setTrouble(451);
    await enter(mail('a'), wait('w'), text('b'));
    await runBatch(world.pool, world.engine.plans);
    await dispatch(world.pool, world.engine.plans, world.engine.post);
    const first = (await messages())[0]!;
    expect(first).toMatchObject({ state: 'queued', attempts: 1 });
    expect(first.error).toMatch(/451/);
    expect(first.try_at - MONDAY).toBeGreaterThanOrEqual(0.9 * MINUTE);
    await skipTo(world, MONDAY + 20 * MINUTE);
    expect((await messages())[0]!.attempts).toBeGreaterThan(3);
    world.postbox.setTrouble(null);
    expect(await retryMessage(world.pool, 1, 1)).toBe(true);
    await skipTo(world, MONDAY + 20 * MINUTE);
    expect((await messages())[0]).toMatchObject({ state: 'sent', error: null });
    expect(world.postbox.mails.map((m) => [m.messageId, m.repeats])).toEqual([['<1.1.a.1@quillmoor.example>', 0]]);
    expect(await retryMessage(world.pool, 1, 1)).toBe(false);
  });

  it('whose mailbox is not there bounces: the address is suppressed, the walk leaves', async () => {
    await addPeople(world.pool, [reachable('no-mailbox.p', (p) => p.fields.delete('phone'))]);
    await enter(mail('a'), wait('w'), mail('b'));
    await skipTo(world, MONDAY + 2 * DAYS);
    expect((await messages())[0]).toMatchObject({ state: 'bounced', attempts: 1 });
    expect((await trailOf(world.pool)).at(-1)).toMatchObject({ what: 'left', as: 'early', reason: 'bounced' });
    expect((await world.pool.query('select address from suppressions')).rows).toEqual([
      { address: 'no-mailbox.p@people.example' }
    ]);
  });

  it('that is refused for good has failed, and says why', async () => {
    await addPeople(world.pool, [reachable('p')]);
    world.postbox.setTrouble(554);
    await enter(mail('a'));
    await skipTo(world, MONDAY + DAYS);
    expect((await messages())[0]).toMatchObject({ attempts: 1 });
    expect((await messages())[0]!.error).toMatch(/554/);
  });

  it('that cannot be filled in has failed, and the others go out', async () => {
    await addPeople(world.pool, [
      reachable('p', (p) => void p.fields.set('visits', 'many')),
      reachable('q', (p) => p.fields.delete('phone'))
    ]);
    await live(
      world,
      journey([
        { ...mail('a'), text: '{% if person.visits %}{% for i in (1..99999999) %}x{% endfor %}{% endif %}ok' } as Step
      ])
    );
    await askChange(world.pool, [1, 2], { addTags: ['in'] }, 'test');
    await skipTo(world, MONDAY);
    expect((await messages()).map((m) => m.state)).toEqual(['failed', 'sent']);
  });

  it('whose sender died before it could say so is sent again under the same id, and kept once', async () => {
    await addPeople(world.pool, [reachable('p')]);
    await enter(mail('a'));
    await skipTo(world, MONDAY);
    // As it stands when a sender is killed between the server's answer and its own record, and the lease has run out.
    await world.pool.query(`update messages set state = 'sending', lease_until = now() - interval '1 second'`);
    await dispatch(world.pool, world.engine.plans, world.engine.post);
    expect(world.postbox.mails.map((m) => m.repeats)).toEqual([1]);
    expect((await messages())[0]).toMatchObject({ state: 'sent', attempts: 2 });
  });

  it('under a lease is nobody else’s', async () => {
    await addPeople(world.pool, [reachable('p')]);
    await enter(mail('a'));
    await runBatch(world.pool, world.engine.plans);
    await world.pool.query(`update messages set state = 'sending', lease_until = now() + interval '1 minute'`);
    expect(await dispatch(world.pool, world.engine.plans, world.engine.post)).toBe(0);
  });
});

it('a text goes out by HTTP, once for its id', async () => {
  await addPeople(world.pool, [reachable('p', (p) => void p.fields.set('first_name', 'Ada'))]);
  await enter({ key: 't', kind: 'sms', text: 'Hi {{ person.first_name }}: https://quillmoor.example/friday' });
  await skipTo(world, MONDAY);
  expect(world.handset.texts).toMatchObject([
    { id: '1.1.t.1', number: '+447700900001', direction: 'out', at: '2027-03-01T09:00:00.000Z', repeats: 0 }
  ]);
  expect(world.handset.texts[0]!.text).toMatch(/^Hi Ada: http:\/\/127\.0\.0\.1:9999\/l\/[\w-]+$/);
  await world.pool.query(`update messages set state = 'sending', lease_until = now() - interval '1 second'`);
  await dispatch(world.pool, world.engine.plans, world.engine.post);
  expect(world.handset.texts.map((t) => t.repeats)).toEqual([1]);
});

it('waits longer after each try, spread, and the same whenever it is asked', () => {
  const waits = Array.from({ length: 12 }, (_, i) => backoff('<x>', i + 1) / MINUTE);
  for (const [i, w] of waits.entries())
    expect(w).toBeCloseTo(Math.min(2 ** i, 360), -Math.log10(Math.min(2 ** i, 360) * 0.25));
  expect(backoff('<x>', 3)).toBe(backoff('<x>', 3));
  expect(backoff('<x>', 3)).not.toBe(backoff('<y>', 3));
});
