/** Figures: what is foreseen is what happens, what is counted is what happened. */
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { branch, DAYS, journey, mail, MONDAY, put, reachable, text, wait } from '../make.ts';
import { setPracticeClock } from '../../server/workspace/clock.ts';
import { settle } from '../../server/running/skip.ts';
import { runBatch } from '../../server/engine/batch.ts';
import { askChange, askEntry } from '../../server/people/inputs.ts';
import { personPage, searchPeople, tagNames } from '../../server/people/people.ts';
import { messagesAhead } from '../../server/results/ahead.ts';
import { findAnything } from '../../server/results/find.ts';
import { journeyLines } from '../../server/results/journeys-table.ts';
import { replies } from '../../server/results/replies.ts';
import { peopleOf, sheetFigures } from '../../server/results/sheet-figures.ts';
import { today } from '../../server/results/today.ts';
import { receivedText } from '../../server/intake/texts.ts';
import { addPeople, dispatch, live, openWorld, react, skipTo, type World } from './world.ts';

let world: World;
beforeEach(async () => {
  world = await openWorld();
});
afterEach(() => world.close());

const HOUR = 3_600_000;
const lane = () => [
  mail('a'),
  wait('w', 'P2D'),
  branch('ask', 'opened', { did: 'opened', of: 'a' }, [put('keen')], [text('nudge')]),
  wait('v', 'PT6H'),
  mail('b')
];

/** Five people in the journey; the first two opened the first mail. */
async function fiveInside(): Promise<void> {
  const phones = (n: number) =>
    reachable(`p${n}`, (p) => void p.fields.set('phone', `+44770090010${n}`).set('first_name', `Person${n}`));
  await addPeople(world.pool, [1, 2, 3, 4, 5].map(phones));
  await live(
    world,
    journey(lane(), { name: 'Try it', goal: { when: { happening: 'clicked', of: 'b' }, leave: false, within: 'P9D' } })
  );
  await askChange(world.pool, [1, 2, 3, 4, 5], { addTags: ['in'] }, 'test');
  await skipTo(world, MONDAY + HOUR);
  await react(world, 1, 'a', 'opened');
  await react(world, 2, 'a', 'opened');
  await settle(world.engine, false);
}

describe('what goes out next', () => {
  it('is what then goes out, to the millisecond, through several steps of each walk', async () => {
    await fiveInside();
    await setPracticeClock(world.pool, MONDAY + 1.75 * DAYS);
    const ahead = await messagesAhead(world.pool, 24);
    expect(ahead.notCounted).toBe(0);
    expect(ahead.messages.map((m) => `${m.person} ${m.step} ${m.channel}`).sort()).toEqual(
      [
        '1 b email',
        '2 b email',
        '3 b email',
        '3 nudge sms',
        '4 b email',
        '4 nudge sms',
        '5 b email',
        '5 nudge sms'
      ].sort()
    );
    await skipTo(world, MONDAY + 2.75 * DAYS);
    const sent = await world.pool.query<{ person: number; step: string; at: number }>(
      'select person_id as person, step, created_at as at from messages where created_at > $1 order by created_at, person_id',
      [new Date(MONDAY + 1.75 * DAYS)]
    );
    expect(sent.rows).toEqual(
      [...ahead.messages]
        .sort((a, b) => a.at - b.at || a.person - b.person)
        .map(({ person, step, at }) => ({ person, step, at }))
    );
  });

  it('changes nothing: asking twice, then nothing was written', async () => {
    await fiveInside();
    const count =
      'select (select count(*) from trail) as trail, (select count(*) from messages) as messages, (select count(*) from happenings) as happenings';
    const before = (await world.pool.query(count)).rows;
    await messagesAhead(world.pool, 24 * 7);
    await messagesAhead(world.pool, 24 * 6);
    expect((await world.pool.query(count)).rows).toEqual(before);
  });

  it('counts what stands in the outbox already', async () => {
    await addPeople(world.pool, [reachable('p')]);
    await live(world, journey([mail('a')]));
    await askChange(world.pool, [1], { addTags: ['in'] }, 'test');
    await runBatch(world.pool, world.engine.plans);
    expect((await messagesAhead(world.pool)).messages).toMatchObject([{ step: 'a', channel: 'email', journey: 'try' }]);
  });
});

describe('figures of a sheet', () => {
  it('count what each step did, who took which lane, who stands where', async () => {
    await fiveInside();
    const standing = await sheetFigures(world.pool, 1, null);
    expect(standing).toMatchObject({ entered: 5, walking: 5, finished: 0, reachedGoal: 0 });
    expect(standing.steps['a']).toMatchObject({ done: 5, opened: 2, clicked: 0, failed: 0 });
    expect(standing.steps['w']).toMatchObject({ standing: 5, held: 0 });
    await skipTo(world, MONDAY + 2.5 * DAYS);
    await react(world, 1, 'b', 'clicked', { link: 'https://quillmoor.example/b' });
    await react(world, 1, 'b', 'clicked', { link: 'https://quillmoor.example/b' });
    await settle(world.engine, false);
    const ended = await sheetFigures(world.pool, 1, 1);
    expect(ended).toMatchObject({ entered: 5, walking: 0, finished: 5, reachedGoal: 1, left: [] });
    expect(ended.steps['ask']?.lanes).toEqual({ opened: 2, others: 3 });
    expect(ended.steps['nudge']).toMatchObject({ done: 3, skipped: 0 });
    expect(ended.steps['b']).toMatchObject({ done: 5, clicked: 1 });
    expect(await sheetFigures(world.pool, 1, 2)).toMatchObject({ entered: 0, steps: {} });
  });

  it('name the people on a step and on a lane', async () => {
    await fiveInside();
    const waiting = await peopleOf(world.pool, 1, null, { on: 'step', step: 'w' });
    expect(waiting.total).toBe(5);
    expect(waiting.people.find((p) => p.id === 1)).toMatchObject({
      name: 'Person1',
      standing: 'wait',
      due: MONDAY + 2 * DAYS,
      lastDid: 'opened'
    });
    await skipTo(world, MONDAY + 2.5 * DAYS);
    expect(
      (await peopleOf(world.pool, 1, null, { on: 'lane', step: 'ask', lane: 'opened' })).people.map((p) => p.id).sort()
    ).toEqual([1, 2]);
    expect(await peopleOf(world.pool, 1, null, { on: 'all' })).toEqual({
      people: [],
      total: 0,
      shown: { field: null, score: null }
    });
  });
});

it('the table of journeys: walking, sends, the goal with its interval, entries by week, findings', async () => {
  await fiveInside();
  await setPracticeClock(world.pool, MONDAY + 1.75 * DAYS);
  const [line] = await journeyLines(world.pool);
  expect(line).toMatchObject({
    key: 'try',
    name: 'Try it',
    state: 'live',
    version: 1,
    walking: 5,
    sends24: 8,
    entered90: 5,
    blockers: 0,
    remarks: 2
  });
  expect(line?.goal?.rate).toBe(0);
  expect(line?.goal?.interval.high).toBeGreaterThan(0.2);
  expect(line?.weeks).toEqual([0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 5]);
});

it('Today: what goes out by hour, what needs someone, what moved', async () => {
  await fiveInside();
  world.postbox.setTrouble(451);
  await setPracticeClock(world.pool, MONDAY + 1.9 * DAYS);
  expect(await receivedText(world.pool, { id: 's1', from: '+447700900999', to: 'x', text: 'Who is this?' })).toEqual({
    as: 'stray'
  });
  // Not waiting for the tries that are still to come.
  const work = async (): Promise<void> => {
    while ((await runBatch(world.pool, world.engine.plans)).people + (await dispatch(world)));
  };
  for (const days of [2, 2.3]) {
    await setPracticeClock(world.pool, MONDAY + days * DAYS);
    await work();
  }
  expect(await receivedText(world.pool, { id: 't1', from: '+447700900103', to: 'x', text: 'Yes please' })).toEqual({
    as: 'taken'
  });
  expect(await receivedText(world.pool, { id: 't1', from: '+447700900103', to: 'x', text: 'Yes please' })).toEqual({
    as: 'taken'
  });
  await work();
  const t = await today(world.pool);
  // What somebody has accepted needs nobody any more, and is not counted.
  const remark = t.needs.find((n) => n.kind === 'finding');
  expect(remark?.detail).toBeTruthy();
  expect(t.needs.map((n) => n.kind)).toEqual(['retry', 'finding', 'finding', 'reply', 'stray']);
  expect(t.needs[0]).toMatchObject({
    title: '5 messages wait for another try',
    detail: expect.stringContaining('451') as string
  });
  expect(t.needs[3]).toMatchObject({ title: '1 reply in the last three days', detail: '“Yes please” · Person3' });
  expect(Object.fromEntries(t.movement.map((m) => [m.what, m.count]))).toMatchObject({
    'Entered a journey': 0,
    'Texts sent': 3,
    'Emails sent': 5,
    Replied: 1
  });
  expect(t.movement.every((m) => m.usual === null)).toBe(true);
  expect(t.hours.reduce((n, h) => n + h.goneSms, 0)).toBe(3);
  const answered = await replies(world.pool);
  expect(answered).toMatchObject({
    total: 1,
    replies: [{ person: 3, text: 'Yes please', step: 'nudge', journeyKey: 'try' }],
    strays: [{ sender: '+447700900999' }]
  });
});

it('a STOP word withdraws consent for texts instead of being a reply', async () => {
  await fiveInside();
  await skipTo(world, MONDAY + 2.1 * DAYS);
  await receivedText(world.pool, { id: 't1', from: '+447700900104', to: 'x', text: 'Stop.' });
  await settle(world.engine, false);
  const page = await personPage(world.pool, 4);
  expect(page?.consents.find((c) => c.channel === 'sms')).toMatchObject({ state: 'withdrawn', source: 'unsubscribed' });
  expect(page?.timeline.some((l) => l.what === 'replied')).toBe(false);
});

it('a person’s page: one timeline of journeys, messages and reactions, newest first', async () => {
  await fiveInside();
  await askEntry(world.pool, [1], 'try', 'test');
  await settle(world.engine, false);
  const page = await personPage(world.pool, 1);
  expect(page).toMatchObject({
    name: 'Person1',
    tags: [{ tag: 'in' }],
    walks: [{ key: 'try', state: 'walking', step: 'w' }]
  });
  expect(page?.timeline.map((l) => l.what)).toEqual(['refused', 'opened', 'waiting', 'sent', 'entered', 'tag_added']);
  expect(page?.timeline.find((l) => l.what === 'sent')?.message).toMatchObject({
    state: 'sent',
    subject: 'About a',
    attempts: 1
  });
  expect(await personPage(world.pool, 99)).toBeNull();
});

describe('finding', () => {
  it('people by several words, by tag, sorted; wildcards are letters like others', async () => {
    await fiveInside();
    const search = {
      text: '',
      tag: null,
      sort: 'name' as const,
      descending: false,
      shown: { field: null, score: null }
    };
    expect(
      (await searchPeople(world.pool, { ...search, text: 'person2 people.example' })).people.map((p) => p.id)
    ).toEqual([2]);
    expect((await searchPeople(world.pool, { ...search, text: '%' })).total).toBe(0);
    expect((await searchPeople(world.pool, { ...search, text: `'; drop table people; --` })).total).toBe(0);
    expect(
      (await searchPeople(world.pool, { ...search, tag: 'in', sort: 'email', descending: true })).people.map(
        (p) => p.id
      )
    ).toEqual([5, 4, 3, 2, 1]);
    expect((await searchPeople(world.pool, { ...search, tag: 'in' })).after).toBeNull();
    expect(await tagNames(world.pool)).toEqual(['in']);
  });

  it('anything: journeys, steps, people, tags, each with where it leads', async () => {
    await fiveInside();
    const found = async (text: string) => (await findAnything(world.pool, text)).map((f) => `${f.kind} ${f.href}`);
    expect(await found('try it')).toEqual(['journey /journeys/try']);
    expect(await found('about b')).toEqual(['step /journeys/try?step=b']);
    expect(await found('person4')).toEqual(['person /people/4']);
    expect(await found('in')).toContain('tag /people?tag=in');
    expect(await found('   ')).toEqual([]);
  });
});

it('a timeline tells many things of one instant in their order', async () => {
  await addPeople(world.pool, [reachable('p')]);
  // Twelve steps at one instant: numbers of one and of two digits.
  await live(world, journey([...Array.from({ length: 12 }, (_, i) => put(`t${i}`)), mail('m')]));
  await askChange(world.pool, [1], { addTags: ['in'] }, 'test');
  await settle(world.engine, false);
  const lines = (await personPage(world.pool, 1))!.timeline.toReversed();
  expect(lines.map((l) => l.detail['tag'] ?? (l.detail['add'] as string[] | undefined)?.[0] ?? l.what)).toEqual([
    'in',
    'entered',
    ...Array.from({ length: 12 }, (_, i) => `t${i}`),
    'sent',
    'left'
  ]);
});

it.each([
  ['Asia/Kolkata', '2027-03-01T09:00:00Z', '2027-02-28T18:30:00Z', 24],
  // Clocks go forward, and back, on these days: they have 23 and 25 hours.
  ['Europe/Dublin', '2027-03-28T12:00:00Z', '2027-03-28T00:00:00Z', 23],
  ['Europe/Dublin', '2027-10-31T12:00:00Z', '2027-10-30T23:00:00Z', 25]
])('Today in %s on %s counts what is gone by the hours of that day', async (zone, at, midnight, length) => {
  await world.pool.query('update workspace set zone = $1, practice_now = $2', [zone, at]);
  await addPeople(world.pool, [reachable('p')]);
  await live(world, journey([mail('a')]));
  await askChange(world.pool, [1], { addTags: ['in'] }, 'test');
  await settle(world.engine, false);
  const { hours } = await today(world.pool);
  expect(hours[0]!.at).toBe(Date.parse(midnight));
  expect(hours.filter((h) => h.goneEmail).map((h) => Math.floor((Date.parse(at) - h.at) / 3_600_000))).toEqual([0]);
  const next = hours.findIndex((h, i) => i > 0 && h.hour === hours[0]!.hour && h.at - hours[0]!.at > 20 * 3_600_000);
  expect(next).toBe(length);
});
