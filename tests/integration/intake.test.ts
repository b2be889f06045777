/** What comes in from outside, changes asked for by hand, and how processes hear of each other. */
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { journey, mail, MONDAY, put, reachable, text, wait } from '../make.ts';
import { changed, notify, listen } from '../../server/db/notify.ts';
import { transaction } from '../../server/db/pool.ts';
import { tryNow } from '../../server/post/again.ts';
import { receivedText } from '../../server/intake/texts.ts';
import { clicked, opened, unsubscribed, unsubscribeTarget } from '../../server/intake/intake.ts';
import { inboundText } from '../../server/sms/gateway.ts';
import { signToken, type TokenUse } from '../../server/intake/token.ts';
import { setLive } from '../../server/journeys/going-live.ts';
import { review } from '../../server/journeys/review.ts';
import { createJourney, emptyJourney, journeyByKey, keyFrom, saveDraft } from '../../server/journeys/journeys.ts';
import { askChange, askEntry } from '../../server/people/inputs.ts';
import { personPage } from '../../server/people/people.ts';
import { setPracticeClock } from '../../server/workspace/clock.ts';
import { addPeople, live, openWorld, skipTo, trailOf, type World, READER } from './world.ts';

let world: World;
beforeEach(async () => {
  world = await openWorld();
});
afterEach(() => world.close());

const HOUR = 3_600_000;
const DAY = 24 * HOUR;

/** One person on a journey of two emails and a text, the first email sent. */
async function begun(): Promise<void> {
  await addPeople(world.pool, [reachable('p')]);
  await live(world, journey([mail('a'), wait('w'), text('t'), wait('v'), mail('b')]));
  await askChange(world.pool, [1], { addTags: ['in'] }, 'test');
  await skipTo(world, MONDAY + HOUR);
  // Long enough ago that nobody takes a reader for a scanner.
  await world.pool.query(`update messages set handed_at = handed_at - interval '1 minute'`);
}

async function secretOf(): Promise<Buffer> {
  const { rows } = await world.pool.query<{ secret: Buffer }>('select secret from workspace');
  return rows[0]!.secret;
}
const happenings = async (): Promise<string[]> =>
  (
    await world.pool.query<{ name: string }>(
      `select name from happenings where source in ('tracking', 'sms') order by id`
    )
  ).rows.map((r) => r.name);

describe('tracking', () => {
  const token = async (use: TokenUse, person: number, message: number, number = 0): Promise<string> =>
    signToken(await secretOf(), use, { person, message, number });
  beforeEach(begun);

  it('counts what is fetched many times in a minute once, and again a minute later', async () => {
    const pixel = await token('open', 1, 1);
    expect([await opened(world.pool, pixel, READER), await opened(world.pool, pixel, READER)]).toEqual([true, true]);
    expect(await happenings()).toEqual(['opened']);
    await setPracticeClock(world.pool, MONDAY + HOUR + 61_000);
    await opened(world.pool, pixel, READER);
    expect(await happenings()).toEqual(['opened', 'opened']);
  });

  it.each<[string, TokenUse, [number, number, number]]>([
    ['of someone else’s message', 'open', [2, 1, 0]],
    ['of a message that is not there', 'open', [1, 99, 0]],
    ['of a link the message has not', 'link', [1, 1, 7]]
  ])('a token %s records nothing', async (_, use, [person, message, number]) => {
    const forged = await token(use, person, message, number);
    expect(
      use === 'open' ? await opened(world.pool, forged, READER) : await clicked(world.pool, forged, READER)
    ).toBeFalsy();
    expect(await happenings()).toEqual([]);
  });

  it('a link leads where the message led when it was sent, whatever the draft says now', async () => {
    const link = await token('link', 1, 1, 1);
    await saveDraft(world.pool, 'try', 1, journey([{ ...mail('a'), text: 'https://other.example/' } as never]));
    expect(await clicked(world.pool, link, READER)).toBe('https://quillmoor.example/a');
    await skipTo(world, MONDAY + 2 * HOUR);
    const page = await personPage(world.pool, 1);
    expect(page?.timeline.find((l) => l.what === 'clicked')?.detail).toMatchObject({
      link: 'https://quillmoor.example/a'
    });
  });

  it('unsubscribing shows whom it is for, and changes consent once it is worked off', async () => {
    const out = await token('unsubscribe', 1, 1);
    expect(await unsubscribeTarget(world.pool, out)).toEqual({
      address: 'p@people.example',
      channel: 'email',
      withdrawn: false
    });
    expect(await unsubscribed(world.pool, out)).toBe(true);
    await skipTo(world, MONDAY + 5 * DAY);
    expect(await unsubscribeTarget(world.pool, out)).toMatchObject({ withdrawn: true });
    const trail = await trailOf(world.pool);
    expect(trail.filter((l) => l['what'] === 'skipped')).toMatchObject([{ step: 'b', reason: 'no-consent' }]);
    expect(await unsubscribeTarget(world.pool, 'nonsense')).toBeNull();
    expect(await unsubscribed(world.pool, 'nonsense')).toBe(false);
  });
});

describe('a text that comes in', () => {
  const say = (body: string, id = body, from = '+447700900001') =>
    receivedText(world.pool, { id, from, to: 'Quillmoor', text: body });

  it('answers the last text sent, if that is at most thirty days old', async () => {
    await begun();
    await say('before any text');
    await skipTo(world, MONDAY + DAY + HOUR);
    await say('yes please');
    await setPracticeClock(world.pool, MONDAY + 40 * DAY);
    await say('much later');
    const { rows } = await world.pool.query(
      `select data ->> 'text' as text, step from happenings where source = 'sms' order by id`
    );
    expect(rows).toEqual([
      { text: 'before any text', step: null },
      { text: 'yes please', step: 't' },
      { text: 'much later', step: null }
    ]);
  });

  it('with characters that no text can have is repaired and kept, however long', async () => {
    await begun();
    const text = `yes\0 \ud83d ${'x'.repeat(30_000)}`;
    const read = inboundText.parse({ id: 'i'.repeat(500), from: '+447700900001', to: 'Quillmoor', text });
    expect(await receivedText(world.pool, read)).toEqual({ as: 'taken' });
    expect(await receivedText(world.pool, { ...read, id: 'stray', from: 'nobody\0'.replace('\0', '\ufffd') })).toEqual({
      as: 'stray'
    });
    await skipTo(world, MONDAY + HOUR);
    const { rows } = await world.pool.query<{ text: string }>(
      `select data ->> 'text' as text from happenings where source = 'sms'`
    );
    expect(rows).toHaveLength(1);
    expect(rows[0]!.text.startsWith('yes\ufffd \ufffd xxx')).toBe(true);
    expect((await world.pool.query('select from set_aside')).rowCount).toBe(0);
  });

  it('is taken once for its id; from nobody we know it is kept aside, once', async () => {
    await begun();
    expect([await say('hello', 'id-1'), await say('hello', 'id-1')]).toEqual([{ as: 'taken' }, { as: 'taken' }]);
    expect([await say('who?', 'id-2', '+447700900999'), await say('who?', 'id-2', '+447700900999')]).toEqual([
      { as: 'stray' },
      { as: 'stray' }
    ]);
    expect(await happenings()).toEqual(['replied']);
    expect((await world.pool.query('select sender, body from stray_texts')).rows).toEqual([
      { sender: '+447700900999', body: 'who?' }
    ]);
  });

  it.each([
    ['STOP', 'unsubscribed'],
    [' stop! ', 'unsubscribed'],
    ['Please do not stop', 'replied'],
    ['stopwatch', 'replied']
  ])('%j is %s', async (words, expected) => {
    await begun();
    await say(words);
    expect(await happenings()).toEqual([expected]);
  });
});

describe('changes by hand', () => {
  it('are carried out in order, and the same source and id once', async () => {
    await addPeople(world.pool, [reachable('p')]);
    await askChange(world.pool, [1], { addTags: ['x'] }, 'form', 'f1');
    await askChange(world.pool, [1], { removeTags: ['x'] }, 'form', 'f2');
    await askChange(world.pool, [1], { addTags: ['x'] }, 'form', 'f1');
    await skipTo(world, MONDAY);
    expect((await personPage(world.pool, 1))?.tags).toEqual([]);
    expect((await world.pool.query('select from person_tags')).rowCount).toBe(0);
  });

  it('fields, consent and lists change together, and journeys see them all', async () => {
    await addPeople(world.pool, [reachable('p', (p) => (p.consent = {}))]);
    await live(
      world,
      journey([mail('a')], {
        entry: {
          on: [{ happening: 'tag_added', tag: 'in' }],
          where: { all: [{ consent: 'email' }, { field: 'town', is: 'Moor' }] }
        }
      })
    );
    await askChange(
      world.pool,
      [1],
      { addTags: ['in'], fields: { town: 'Moor' }, consent: { email: 'given' } },
      'form'
    );
    await skipTo(world, MONDAY + HOUR);
    expect((await trailOf(world.pool)).map((l) => l['what'])).toEqual(['entered', 'sent', 'left']);
    expect(await personPage(world.pool, 1)).toMatchObject({ fields: { town: 'Moor' } });
  });

  it('entering by hand many at once: each has their own way, refusals are told', async () => {
    await addPeople(world.pool, [
      reachable('a', (p) => void p.fields.delete('phone')),
      reachable('b', (p) => (p.fields.delete('phone'), p.tags.add('staff')))
    ]);
    await live(world, journey([put('seen')], { leaveWhen: [{ when: { tag: 'staff' }, reason: 'staff' }] }));
    await askEntry(world.pool, [1, 2], 'try', 'test');
    await skipTo(world, MONDAY);
    expect((await trailOf(world.pool)).map((l) => [l['person'], l['what']])).toEqual([
      ['1', 'entered'],
      ['1', 'tagged'],
      ['1', 'left'],
      ['2', 'refused']
    ]);
  });
});

describe('journeys as documents', () => {
  it.each([
    ['After the first visit', 'after-the-first-visit'],
    ['Été à l’Observatoire!', 'ete-a-l-observatoire'],
    ['  ***  ', 'journey'],
    ['x'.repeat(100), 'x'.repeat(60)]
  ])('%j gets the key %s', (name, key) => expect(keyFrom(name)).toBe(key));

  it('a second journey of one name gets a key of its own, also inside its document', async () => {
    const keys = [];
    for (let i = 0; i < 3; i++) keys.push(await createJourney(world.pool, emptyJourney('Star party'), 'test'));
    expect(keys).toEqual(['star-party', 'star-party-2', 'star-party-3']);
    expect((await journeyByKey(world.pool, 'star-party-3'))?.draft.key).toBe('star-party-3');
    expect(await journeyByKey(world.pool, 'star-party-4')).toBeNull();
  });

  it('only the draft that was reviewed goes live; a version once live never changes', async () => {
    const first = journey([put('one')]);
    await createJourney(world.pool, first, 'test');
    await saveDraft(world.pool, 'try', 1, journey([put('two')]));
    expect(await setLive(world.pool, 'try', 1, 'test')).toMatchObject({
      ok: false,
      message: expect.stringContaining('The draft was changed since') as string
    });
    expect(await setLive(world.pool, 'try', 2, 'test')).toMatchObject({ ok: true, version: 1 });
    await saveDraft(world.pool, 'try', 2, journey([put('three')]));
    const { rows } = await world.pool.query<{ document: { lane: unknown[] } }>('select document from versions');
    expect(rows.map((r) => r.document.lane)).toEqual([[put('two')]]);
    await expect(world.pool.query(`update versions set document = '{}'`)).rejects.toThrow();
    expect(await setLive(world.pool, 'gone', 1, 'test')).toMatchObject({ ok: false });
  });

  it('what blocks it is named, and nothing goes live', async () => {
    await createJourney(world.pool, emptyJourney('Empty'), 'test');
    expect(await setLive(world.pool, 'empty', 1, 'test')).toEqual({
      ok: false,
      message: expect.stringContaining('This journey has no steps.') as string
    });
    expect((await journeyByKey(world.pool, 'empty'))?.state).toBe('draft');
  });
});

describe('going live', () => {
  it('pressed six times at once makes one version', async () => {
    await createJourney(world.pool, journey([mail('a')]), 'test');
    const pressed = await Promise.all([1, 2, 3, 4, 5, 6].map(() => setLive(world.pool, 'try', 1, 'test')));
    expect(pressed).toEqual(pressed.map(() => ({ ok: true, version: 1, asked: 0 })));
    expect((await world.pool.query('select from versions')).rowCount).toBe(1);
    await saveDraft(world.pool, 'try', 1, journey([mail('b')]));
    expect(await setLive(world.pool, 'try', 2, 'test')).toMatchObject({ version: 2 });
  });

  it('tries its messages on people first: what cannot be filled in for one of them holds it up', async () => {
    await addPeople(world.pool, [
      reachable('p', (p) => void p.fields.set('first_name', 'Ada')),
      reachable('q', (p) => p.fields.delete('phone'))
    ]);
    const named = { ...mail('a'), subject: '{{ person.first_name }}' } as never;
    await createJourney(world.pool, journey([named, mail('b')]), 'test');
    const { id } = (await journeyByKey(world.pool, 'try'))!;
    const { findings } = await review(world.pool, id, journey([named, mail('b')]));
    expect(findings.filter((f) => f.severity === 'blocker')).toEqual([
      expect.objectContaining({ step: 'a', text: 'Tried for q@people.example: its subject comes out empty.' })
    ]);
    expect(await setLive(world.pool, 'try', 1, 'test')).toMatchObject({ ok: false });
  });
});

describe('drafts', () => {
  it.each([
    ['too many steps', journey(Array.from({ length: 1001 }, (_, i) => put(`t${i}`))), /more than 1000 steps/],
    ['a character that no text has', journey([{ ...mail('a'), text: 'a\0' } as never]), /NUL/],
    ['half a character', journey([{ ...mail('a'), text: '\ud800' } as never]), /lone surrogate/]
  ])('with %s are refused with the place, and what was saved stays', async (_, document, expected) => {
    await createJourney(world.pool, journey([put('one')]), 'test');
    const saved = await saveDraft(world.pool, 'try', 1, document);
    expect(saved).toMatchObject({ ok: false, kind: 'bad' });
    expect((saved as { message: string }).message).toMatch(expected);
    expect((await journeyByKey(world.pool, 'try'))?.draft_revision).toBe(1);
  });

  it('of one long name get keys of their own that are short enough', async () => {
    for (let n = 0; n < 12; n++) await createJourney(world.pool, emptyJourney('x'.repeat(100)), 'test');
    const { rows } = await world.pool.query<{ key: string }>('select key from journeys');
    expect(new Set(rows.map((r) => r.key)).size).toBe(12);
    for (const { key } of rows) expect(key.length).toBeLessThanOrEqual(60);
  });
});

it('nobody is asked for who is not here', async () => {
  await addPeople(world.pool, [reachable('p')]);
  expect(await askChange(world.pool, [1, 99], { addTags: ['in'] }, 'test')).toBe(1);
  expect(await askEntry(world.pool, [99], 'try', 'test')).toBe(0);
});

describe('a message that waits to be tried again', () => {
  it('is tried at once when asked, once, and only its own', async () => {
    await begun();
    await world.pool.query(
      `update messages set state = 'queued', error = 'try later', attempts = 3, not_before = now() + interval '10 years'`
    );
    expect(await tryNow(world.pool, { person: 2, message: 1 })).toBe(0);
    expect(await tryNow(world.pool, { person: 1, message: 99 })).toBe(0);
    expect(await tryNow(world.pool, { person: 1, message: 1 })).toBe(1);
  });
});

it('processes hear of each other, in a transaction only once it holds, and over a broken connection', async () => {
  const heard: string[] = [];
  const ears = listen(world.url, (said) => void heard.push('topic' in said ? said.topic : said.changed.join(' ')));
  const until = async (n: number): Promise<void> => {
    for (let i = 0; heard.length < n && i < 100; i++) {
      if (heard.length === 0) await notify(world.pool, 'clock');
      await new Promise((resolve) => setTimeout(resolve, 50));
    }
  };
  await until(1);
  heard.length = 0;
  await transaction(world.pool, async (db) => {
    await notify(db, 'inbox');
    throw new Error('not after all');
  }).catch(() => undefined);
  await transaction(world.pool, (db) => notify(db, 'outbox'));
  await changed(world.pool, { journeys: [3, 3, 1], people: [7], post: true });
  await changed(world.pool, { people: Array.from({ length: 51 }, (_, i) => i) });
  await changed(world.pool, {});
  await new Promise((resolve) => setTimeout(resolve, 200));
  expect(heard.filter((t) => t !== 'clock')).toEqual([
    'outbox',
    'post journeys journey:3 journey:1 people person:7',
    'people person:*'
  ]);

  heard.length = 0;
  await world.pool.query(
    `select pg_terminate_backend(pid) from pg_stat_activity where datname = current_database() and query like 'listen%'`
  );
  await until(1);
  expect(heard.length).toBeGreaterThan(0);
  await ears.close();
});
