/** Texts by hand: whom one may answer; each is sent once, whatever fails; what became of it is said. */
import { afterEach, beforeEach, expect, it } from 'vitest';
import { sendAnswers } from '../../server/post/answers.ts';
import { answerKey, readAnswerKey } from '../../server/mail/message-id.ts';
import { textReported } from '../../server/intake/texts.ts';
import { SettingsBook } from '../../server/workspace/settings.ts';
import { answerByText, cannotAnswer } from '../../server/people/answering.ts';
import { compare } from '../../server/people/compare.ts';
import { merge } from '../../server/people/merge.ts';
import { personPage } from '../../server/people/people.ts';
import { reachable } from '../make.ts';
import { addPeople, openWorld, type World } from './world.ts';

let world: World;
beforeEach(async () => {
  world = await openWorld();
});
afterEach(() => world.close());
const once = (n: number): string => `00000000-0000-4000-8000-00000000000${n}`;
const say = (person: number, words: string, n = 1): ReturnType<typeof answerByText> =>
  answerByText(world.pool, person, { words, once: once(n) }, 'Ada');
const send = (): Promise<number> => sendAnswers(world.pool, world.engine.post);
const said = async (): Promise<unknown[]> =>
  (await personPage(world.pool, 1))!.timeline.filter((l) => l.what === 'answered').map((l) => l.detail['state']);

it('goes out once, however often it is pressed, and stands in the timeline', async () => {
  await addPeople(world.pool, [reachable('a')]);
  expect(await say(1, 'Doors open at eight.')).toEqual({ ok: true });
  expect(await say(1, 'Doors open at eight.')).toEqual({ ok: true });
  expect(await said()).toEqual(['queued']);
  expect(await Promise.all([send(), send()])).toContain(1);
  expect(await send()).toBe(0);
  expect(world.handset.texts.map((t) => t.text)).toEqual(['Doors open at eight.']);
  expect(await said()).toEqual(['sent']);
});

it('is not for who said stop, has no number, or neither consented nor wrote', async () => {
  await addPeople(world.pool, [
    reachable('a', (p) => {
      p.consent = { sms: 'withdrawn' };
    }),
    reachable('b', (p) => p.fields.delete('phone')),
    reachable('c', (p) => {
      p.fields.set('phone', '+447700900002');
      p.consent = {};
    })
  ]);
  expect(await say(1, 'x')).toEqual({ ok: false, problem: 'They said that they want no texts.' });
  expect(await cannotAnswer(world.pool, 2)).toBe('They have no phone number.');
  expect(await cannotAnswer(world.pool, 3)).toMatch(/no consent/);
  await world.pool.query(
    `insert into happenings (person_id, name, at, source, data) values (3, 'replied', now(), 'sms', '{"channel": "sms"}')`
  );
  expect(await cannotAnswer(world.pool, 3)).toBeNull();
  expect(await cannotAnswer(world.pool, 9)).toBe('There is no such person.');
});

it('waits while sending is stopped or the gateway is away, and a sender that died sends it under the same id', async () => {
  await addPeople(world.pool, [reachable('a')]);
  await say(1, 'Hello');
  await world.pool.query('update workspace set sending_stopped_at = now()');
  expect(await send()).toBe(0);
  await world.pool.query('update workspace set sending_stopped_at = null');
  expect(await sendAnswers(world.pool, { ...world.engine.post, smsUrl: 'http://127.0.0.1:9' })).toBe(1);
  expect(await said()).toEqual(['queued']);
  expect(await send()).toBe(0);
  // It was handed over, and the sender died before it could say so.
  await world.pool.query(`update answers set not_before = null`);
  await send();
  await world.pool.query(`update answers set state = 'sending', not_before = clock_timestamp() - interval '1 second'`);
  await send();
  expect(world.handset.texts).toHaveLength(1);
  expect(await said()).toEqual(['sent']);
});

it('is not sent once they said stop, also where it was written before', async () => {
  await addPeople(world.pool, [reachable('a')]);
  await say(1, 'Hello');
  await world.pool.query(`update consents set state = 'withdrawn' where channel = 'sms'`);
  await send();
  expect(world.handset.texts).toEqual([]);
  expect(await said()).toEqual(['failed']);
});

it('that did not arrive says so, also of somebody who was made one with another meanwhile', async () => {
  await addPeople(world.pool, [reachable('a', (p) => p.fields.delete('phone')), reachable('b')]);
  await say(2, 'Hello');
  await send();
  const seen = (await compare(world.pool, 1, 2))!.seen;
  await merge(world.pool, new SettingsBook(), { one: 1, other: 2, choose: {}, seen }, 'Ada');
  const key = answerKey(world.secret, { person: 2, answer: 1 });
  expect(readAnswerKey(world.secret, key)).toEqual({ person: 2, answer: 1 });
  expect(
    readAnswerKey(
      world.secret,
      key.replace(/.$/, (c) => (c === '0' ? '1' : '0'))
    )
  ).toBeNull();
  const report = { id: key, status: 'undelivered' as const, code: '', error: 'switched off' };
  expect(await textReported(world.pool, world.secret, report)).toBe(true);
  expect(await said()).toEqual(['failed']);
});
