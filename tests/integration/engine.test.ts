/** The live engine against the replay: the same journeys and happenings give the same trail. */
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { branch, DAYS, journey, mail, MONDAY, put, reachable, text, wait } from '../make.ts';
import type { Journey } from '../../core/journey/schema.ts';
import { replay } from '../../core/replay/replay.ts';
import type { TimedInput } from '../../core/replay/happenings.ts';
import type { PersonState } from '../../core/person/state.ts';
import { MOST_PAST } from '../../server/engine/bounds.ts';
import { runBatch } from '../../server/engine/batch.ts';
import { askChange, askEntry } from '../../server/people/inputs.ts';
import { PlanBook } from '../../server/engine/plans.ts';
import { setPracticeClock } from '../../server/workspace/clock.ts';
import { addPeople, live, openWorld, react, skipTo, trailOf, type World } from './world.ts';

let world: World;
beforeEach(async () => {
  world = await openWorld();
});
afterEach(() => world.close());

const HOUR = 3_600_000;
const journeys: Journey[] = [
  journey(
    [
      mail('a'),
      wait('w', 'P2D'),
      branch('ask', 'opened', { did: 'opened', of: 'a' }, [put('keen'), wait('v', 'P1D'), mail('b')], [text('nudge')]),
      wait('x', 'P1D'),
      { key: 'points', kind: 'score', score: 'interest', add: 5 }
    ],
    {
      key: 'one',
      hours: { days: ['mon', 'tue', 'wed', 'thu', 'fri'], from: '09:00', to: '18:00' },
      leaveWhen: [{ when: { tag: 'staff' }, reason: 'staff' }],
      goal: { when: { happening: 'clicked', of: 'b' }, within: 'P10D' }
    }
  ),
  journey([wait('w', 'PT3H'), mail('c')], {
    key: 'two',
    entry: { on: [{ happening: 'tag_added', tag: 'keen' }], where: { consent: 'email' } }
  })
];

/** Six people of different kinds, with numbers for ids as the database gives them. */
function people(): PersonState[] {
  return [
    reachable('1', (p) => void p.fields.set('phone', '+447700900101')),
    reachable('2', (p) => void p.fields.set('phone', '+447700900102').set('zone', 'America/New_York')),
    reachable('3', (p) => void (p.fields.set('phone', '+447700900103'), (p.consent.sms = 'withdrawn'))),
    reachable('4', (p) => void (p.fields.delete('phone'), (p.consent.email = 'pending'))),
    reachable('5', (p) => void p.fields.set('phone', '+447700900105').set('zone', 'Pacific/Apia')),
    reachable('6', (p) => void (p.fields.set('phone', '+447700900106'), p.tags.add('staff')))
  ];
}

interface Act {
  after: number;
  person: string;
  do: 'tag' | 'enter' | 'opened' | 'clicked' | 'unsubscribed';
  what: string;
}
const acts: Act[] = [
  ...['1', '2', '3', '4', '5', '6'].map((person): Act => ({ after: 0, person, do: 'tag', what: 'in' })),
  { after: 5 * HOUR, person: '1', do: 'opened', what: 'a' },
  { after: 10 * HOUR, person: '2', do: 'opened', what: 'a' },
  { after: DAYS, person: '3', do: 'unsubscribed', what: 'a' },
  { after: 3.5 * DAYS, person: '1', do: 'clicked', what: 'b' },
  { after: 4 * DAYS, person: '5', do: 'tag', what: 'staff' },
  { after: 5 * DAYS, person: '3', do: 'enter', what: 'two' },
  { after: 6 * DAYS, person: '6', do: 'enter', what: 'one' }
];

it('gives the trail of the replay, line for line', async () => {
  const inputs = acts.map(({ after, person, do: act, what }, line): TimedInput => {
    const base = { at: MONDAY + after, person, line };
    if (act === 'tag') return { ...base, input: { kind: 'set', addTags: [what] } };
    if (act === 'enter') return { ...base, input: { kind: 'enter', journey: what, by: 'hand' } };
    return {
      ...base,
      of: { step: what },
      input: { kind: 'happening', happening: { name: act, at: base.at, channel: 'email' } }
    };
  });
  const expected = replay({ journeys, people: people(), inputs, from: MONDAY, until: MONDAY + 20 * DAYS });

  await addPeople(world.pool, people());
  for (const j of journeys) await live(world, j);
  for (const { after, person, do: act, what } of acts) {
    await skipTo(world, MONDAY + after);
    if (act === 'tag') await askChange(world.pool, [Number(person)], { addTags: [what] }, 'test');
    else if (act === 'enter') await askEntry(world.pool, [Number(person)], what, 'test');
    else await react(world, Number(person), what, act);
  }
  await skipTo(world, MONDAY + 20 * DAYS);
  const trail = await trailOf(world.pool);
  expect(trail.length).toBeGreaterThan(30);
  expect(trail).toEqual(expected);
});

it('facts follow: tags, scores, consents, and messages sent once each', async () => {
  await addPeople(world.pool, people());
  for (const j of journeys) await live(world, j);
  await askChange(world.pool, [1, 3], { addTags: ['in'] }, 'test');
  await skipTo(world, MONDAY + HOUR);
  await react(world, 1, 'a', 'opened');
  await react(world, 3, 'a', 'unsubscribed');
  await skipTo(world, MONDAY + 10 * DAYS);
  const { rows } = await world.pool.query(
    `select p.id, array(select tag from person_tags t where t.person_id = p.id order by 1) as tags,
       (select points from scores s where s.person_id = p.id) as points,
       (select state || ' by ' || source from consents c where c.person_id = p.id and channel = 'email') as consent
     from people p where id in (1, 3) order by id`
  );
  expect(rows).toEqual([
    { id: 1, tags: ['in', 'keen'], points: 5, consent: 'given by test' },
    { id: 3, tags: ['in'], points: 5, consent: 'withdrawn by unsubscribed' }
  ]);
  expect(world.postbox.mails.filter((m) => m.to === '1@people.example').map((m) => m.subject)).toEqual([
    'About a',
    'About c',
    'About b'
  ]);
});

describe('many workers', () => {
  it('work side by side on one database: everyone is taken once', async () => {
    const crowd = Array.from({ length: 300 }, (_, i) => reachable(`c${i}`, (p) => void p.fields.delete('phone')));
    const ids = await addPeople(world.pool, crowd);
    await live(world, journey([mail('a'), wait('w'), put('done')]));
    await askChange(world.pool, ids, { addTags: ['in'] }, 'test');
    const worker = async (): Promise<number> => {
      const plans = new PlanBook();
      let done = 0;
      for (let idle = 0; idle < 5;) {
        const { people: n } = await runBatch(world.pool, plans, 20);
        done += n;
        idle = n ? 0 : idle + 1;
      }
      return done;
    };
    const shares = await Promise.all([worker(), worker(), worker()]);
    await setPracticeClock(world.pool, MONDAY + DAYS);
    await Promise.all([worker(), worker(), worker()]);
    const { rows } = await world.pool.query<{ what: string; n: number; people: number }>(
      'select what, count(*) as n, count(distinct person_id) as people from trail group by 1 order by 1'
    );
    expect(rows).toEqual([
      { what: 'entered', n: 300, people: 300 },
      { what: 'left', n: 300, people: 300 },
      { what: 'sent', n: 300, people: 300 },
      { what: 'tagged', n: 300, people: 300 },
      { what: 'waiting', n: 300, people: 300 }
    ]);
    expect(shares.filter((n) => n > 0).length).toBeGreaterThan(1);
  });
});

it('existing people enter when it goes live, those alone who meet the rules', async () => {
  const has = (id: string, ...tags: string[]) =>
    reachable(id, (p) => (p.fields.delete('phone'), tags.forEach((t) => p.tags.add(t))));
  await addPeople(world.pool, [has('e1', 'in'), has('e2', 'in', 'staff'), has('e3')]);
  await live(
    world,
    journey([mail('a')], {
      entry: { on: [{ happening: 'tag_added', tag: 'in' }], existing: true, where: { not: { tag: 'staff' } } }
    })
  );
  await skipTo(world, MONDAY + HOUR);
  expect((await trailOf(world.pool)).filter((l) => l['what'] === 'entered')).toMatchObject([
    { person: '1', by: 'existing' }
  ]);
});

it('people inside an earlier version finish on it', async () => {
  await addPeople(world.pool, [reachable('v1'), reachable('v2', (p) => p.fields.delete('phone'))]);
  const first = journey([wait('w'), put('old')]);
  await live(world, first);
  await askChange(world.pool, [1], { addTags: ['in'] }, 'test');
  await skipTo(world, MONDAY + HOUR);
  await world.pool.query(`update journeys set draft = $1`, [
    JSON.stringify({ ...first, lane: [wait('w'), put('new')] })
  ]);
  const { setLive } = await import('../../server/journeys/going-live.ts');
  expect(await setLive(world.pool, 'try', 1, 'test')).toMatchObject({ ok: true, version: 2 });
  await askChange(world.pool, [2], { addTags: ['in'] }, 'test');
  await skipTo(world, MONDAY + 2 * DAYS);
  expect((await trailOf(world.pool)).filter((l) => l['what'] === 'tagged').map((l) => [l['person'], l['add']])).toEqual(
    [
      ['1', ['old']],
      ['2', ['new']]
    ]
  );
});

it('one with very much on record is worked on alone, everybody as ever', async () => {
  const ids = await addPeople(world.pool, people());
  await live(
    world,
    journey([
      mail('a'),
      wait('w', 'P2D'),
      branch(
        'ask',
        'looked',
        {
          all: [
            { did: 'opened', of: 'a' },
            { did: 'page_seen', times: { gte: 3 } }
          ]
        },
        [put('keen')],
        []
      )
    ])
  );
  await askChange(world.pool, ids, { addTags: ['in'] }, 'test');
  await skipTo(world, MONDAY + DAYS);
  for (const id of [1, 2, 5]) await react(world, id, 'a', 'opened');
  await world.pool.query(
    `insert into happenings (person_id, name, at, source, data)
     select p, 'page_seen', practice_now, 'test', '{"url": "/"}' from workspace, unnest(array[1, 1, 1, 1, 1, 1, 1, 2, 2, 2, 5, 5]) as p`
  );
  const { one, together } = MOST_PAST;
  Object.assign(MOST_PAST, { one: 6, together: 3 });
  try {
    await skipTo(world, MONDAY + 4 * DAYS);
  } finally {
    Object.assign(MOST_PAST, { one, together });
  }
  const { rows } = await world.pool.query(`select person_id from person_tags where tag = 'keen' order by 1`);
  expect(rows).toEqual([{ person_id: 1 }, { person_id: 2 }]);
  expect((await world.pool.query('select from set_aside')).rowCount).toBe(0);
});
