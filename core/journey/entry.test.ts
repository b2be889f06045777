/** Getting in: happenings, dates, timetables, existing people, again and again; held out; goals and leaving. */
import { describe, expect, it } from 'vitest';
import {
  byHand,
  did,
  enters,
  happens,
  HOUR,
  journey,
  mail,
  put,
  reachable,
  run,
  sets,
  settings,
  short,
  story,
  tagged,
  wait
} from '../../tests/make.ts';
import type { PersonState } from '../person/state.ts';
import { chance } from '../walk/chance.ts';
import { journeySchema, type Entry, type Journey } from './schema.ts';

const DAY = 24 * HOUR;
const entering = (entry: Entry, rest: Partial<Journey> = {}): Journey => journey([put('x')], { entry, ...rest });
const entries = (
  entry: Entry,
  said: Parameters<typeof run>[1] = [],
  change: (p: PersonState) => unknown = () => undefined,
  days = 60,
  shared = settings({})
) =>
  run(
    entering(entry),
    said,
    reachable('p1', (p) => void change(p)),
    days,
    shared
  )
    .filter((l) => l['what'] === 'entered')
    .map((l) => `${String(l['at']).slice(0, 16)} ${l['by']}`);

describe('happenings that let people in', () => {
  it.each<[string, Entry['on'], Parameters<typeof run>[1], number]>([
    [
      'a keyword by text',
      [{ happening: 'replied', matches: ['stars'] }],
      [happens('replied', HOUR, { channel: 'sms', text: 'Stars please' })],
      1
    ],
    [
      'another word',
      [{ happening: 'replied', matches: ['stars'] }],
      [happens('replied', HOUR, { channel: 'sms', text: 'moon' })],
      0
    ],
    [
      'a form',
      [{ happening: 'form_sent', form: 'visit', where: { seats: { gte: 2 } } }],
      [happens('form_sent', HOUR, { form: 'visit', data: { seats: 2 } })],
      1
    ],
    [
      'a form with another answer',
      [{ happening: 'form_sent', form: 'visit', where: { seats: { gte: 2 } } }],
      [happens('form_sent', HOUR, { form: 'visit', data: { seats: 1 } })],
      0
    ],
    [
      'a page',
      [{ happening: 'page_seen', url: 'https://quillmoor.example/*/seats' }],
      [happens('page_seen', HOUR, { url: 'https://quillmoor.example/may/seats' })],
      1
    ],
    [
      'an order of some worth',
      [{ happening: 'purchased', amount: { gte: '20.00' } }],
      [happens('purchased', HOUR, { order: 'o', amount: 20, items: [] })],
      1
    ],
    [
      'one happening that two of them match: once',
      [{ happening: 'tag_added' }, { happening: 'tag_added', tag: 'in' }],
      [tagged('in')],
      1
    ],
    [
      'a custom one',
      [{ happening: 'custom', name: 'seen_comet' }],
      [happens('custom', HOUR, { custom: 'seen_comet' })],
      1
    ]
  ])('%s', (_, on, said, n) => expect(entries({ on }, said).length).toBe(n));

  it('another journey’s end', () => {
    const first = byHand('first', [put('y')]);
    const next = journey([put('x')], { entry: { on: [{ happening: 'left', journey: 'first', as: 'finished' }] } });
    expect(story(run([first, next], [enters('first')]))).toContain('+0 entered');
  });
});

describe('dates', () => {
  const visit = (value: string) => (p: PersonState) => p.fields.set('visit', value);
  it.each<[string, Entry['date'], string, string[]]>([
    ['on the day', { field: 'visit' }, '2027-03-20', ['2027-03-20T00:00 date']],
    [
      'before it, at a time',
      { field: 'visit', offset: '-P3D', time: '09:30' },
      '2027-03-20',
      ['2027-03-17T09:30 date']
    ],
    ['after it', { field: 'visit', offset: 'P1M' }, '2027-03-20', ['2027-04-20T00:00 date']],
    ['past already: nobody', { field: 'visit' }, '2027-02-20', []],
    ['the very instant of going live', { field: 'visit', time: '09:00' }, '2027-03-01', ['2027-03-01T09:00 date']],
    ['the same day everywhere', { on: '2027-03-05', time: '12:00' }, '', ['2027-03-05T12:00 date']],
    ['every year', { field: 'visit', yearly: true }, '1990-03-20', ['2027-03-20T00:00 date', '2028-03-20T00:00 date']],
    ['every year, from its own on', { field: 'visit', yearly: true }, '2028-03-20', ['2028-03-20T00:00 date']],
    ['29 February, every year', { field: 'visit', yearly: true }, '2024-02-29', ['2028-02-29T00:00 date']],
    [
      'a week before 29 February',
      { field: 'visit', yearly: true, offset: '-P1W' },
      '2024-02-29',
      ['2028-02-22T00:00 date']
    ]
  ])('%s', (_, date, value, expected) => expect(entries({ date: date! }, [], visit(value), 450)).toEqual(expected));

  it('29 February is 28 February in other years', () => {
    expect(entries({ date: { field: 'visit', yearly: true } }, [], visit('2024-02-29'), 800)).toEqual([
      '2028-02-29T00:00 date',
      '2029-02-28T00:00 date'
    ]);
  });
  it('follow the field, and the person’s zone', () => {
    const moved = [sets(DAY, { fields: { visit: '2027-03-25' } })];
    expect(entries({ date: { field: 'visit' } }, moved, visit('2027-03-20'))).toEqual(['2027-03-25T00:00 date']);
    expect(
      entries({ date: { field: 'visit' } }, [sets(DAY, { fields: { zone: 'Pacific/Auckland' } })], visit('2027-03-20'))
    ).toEqual(['2027-03-19T11:00 date']);
    expect(
      entries({ date: { field: 'visit' } }, [sets(DAY, { fields: { visit: null } })], visit('2027-03-20'))
    ).toEqual([]);
  });
  it('changed to a later date, someone who may come again comes again', () => {
    const later = [sets(20 * DAY, { fields: { visit: '2027-03-30' } })];
    expect(entries({ date: { field: 'visit' }, again: 'again' }, later, visit('2027-03-20'))).toEqual([
      '2027-03-20T00:00 date',
      '2027-03-30T00:00 date'
    ]);
    expect(entries({ date: { field: 'visit' } }, later, visit('2027-03-20'))).toEqual(['2027-03-20T00:00 date']);
  });
});

describe('timetables', () => {
  it('each weekday named, again by default', () => {
    expect(entries({ timetable: { weekdays: ['tue', 'fri'], time: '08:00' } }, [], () => undefined, 8)).toEqual([
      '2027-03-02T08:00 timetable',
      '2027-03-05T08:00 timetable',
      '2027-03-09T08:00 timetable'
    ]);
  });
  it('a day of the month; a month too short takes its last day', () => {
    expect(entries({ timetable: { monthDay: 31, time: '08:00' } }, [], () => undefined, 70)).toEqual([
      '2027-03-31T08:00 timetable',
      '2027-04-30T08:00 timetable'
    ]);
  });
  it('in the person’s zone or one of its own, and only who meets "where"', () => {
    const table = { weekdays: ['tue' as const], time: '08:00' };
    const newYork = (p: PersonState) => p.fields.set('zone', 'America/New_York');
    expect(entries({ timetable: table }, [], newYork, 6)).toEqual(['2027-03-02T13:00 timetable']);
    expect(entries({ timetable: { ...table, zone: 'UTC' } }, [], newYork, 6)).toEqual(['2027-03-02T08:00 timetable']);
    expect(entries({ timetable: table, where: { tag: 'member' } }, [], newYork, 6)).toEqual([]);
  });
  it('several ways in stand together', () => {
    const both: Entry = {
      date: { on: '2027-03-03' },
      timetable: { weekdays: ['tue'], time: '08:00' },
      on: [{ happening: 'tag_added', tag: 'in' }],
      again: 'again'
    };
    expect(entries(both, [tagged('in')], () => undefined, 6)).toEqual([
      '2027-03-01T09:00 tag_added',
      '2027-03-02T08:00 timetable',
      '2027-03-03T00:00 date'
    ]);
  });
});

describe('existing people', () => {
  it.each<[string, Entry['on'], (p: PersonState) => unknown, number]>([
    ['who have a tag', [{ happening: 'tag_added', tag: 'in' }], (p) => p.tags.add('in'), 1],
    ['who are on a list', [{ happening: 'list_joined', list: 'news' }], (p) => p.lists.add('news'), 1],
    ['who are in a segment', [{ happening: 'segment_joined', segment: 'keen' }], (p) => p.tags.add('keen'), 1],
    ['who have none of it', [{ happening: 'tag_added', tag: 'in' }], (p) => p.tags.add('out'), 0]
  ])('%s', (_, on, change, n) =>
    expect(
      entries({ on, existing: true }, [], change, 60, settings({ segments: [{ name: 'keen', when: { tag: 'keen' } }] }))
        .length
    ).toBe(n)
  );
  it('when it opens, if that is later; until then nobody enters', () => {
    const opens: Entry = {
      on: [{ happening: 'tag_added', tag: 'in' }],
      existing: true,
      opens: '2027-03-03T12:00:00+02:00'
    };
    expect(entries(opens, [], (p) => p.tags.add('in'))).toEqual(['2027-03-03T10:00 existing']);
    expect(
      short(run(entering({ opens: '2027-03-03T10:00:00Z' }), [enters('try', DAY), enters('try', 50 * HOUR)]))
    ).toEqual(['refused opens', 'refused opens'].slice(0, 1).concat(['entered', 'tagged put-x', 'left finished']));
  });
});

describe('again', () => {
  const again = (how: Entry['again'], lane = [wait('w', 'P2D')]) =>
    story(
      run(
        journey(lane, { entry: { on: [{ happening: 'custom', name: 'go' }], ...(how ? { again: how } : {}) } }),
        [0, DAY, 5 * DAY].map((after) => happens('custom', after, { custom: 'go' }))
      )
    );
  it('once: ever', () => expect(again(undefined).filter((l) => l.includes('entered'))).toEqual(['+0 entered']));
  it('again: after leaving', () =>
    expect(again('again').filter((l) => l.includes('entered'))).toEqual(['+0 entered', '+5d entered']));
  it('restart: the running walk ends, and a new one begins', () => {
    expect(again('restart')).toEqual([
      '+0 entered',
      '+0 waiting w',
      '+1d left restarted',
      '+1d entered',
      '+1d waiting w',
      '+3d left finished',
      '+5d entered',
      '+5d waiting w',
      '+7d left finished'
    ]);
  });
  it('each: beside any running one', () => {
    expect(again('each')).toEqual([
      '+0 entered',
      '+0 waiting w',
      '+1d entered',
      '+1d waiting w',
      '+2d left finished',
      '+3d left finished',
      '+5d entered',
      '+5d waiting w',
      '+7d left finished'
    ]);
  });
  it.each<[Entry['again'], string]>([
    ['once', 'once'],
    ['again', 'walking']
  ])('by hand, %s: refused, reason %s', (how, reason) => {
    const lines = run(journey([wait('w')], { entry: { again: how! } }), [enters('try'), enters('try', HOUR)]);
    expect(short(lines)).toContain(`refused ${reason}`);
  });
  it('the first reason that applies: opens, where, once, walking, goal, leave', () => {
    const all: Partial<Journey> = {
      goal: { when: { tag: 'done' } },
      leaveWhen: [{ when: { tag: 'staff' }, reason: 'staff' }]
    };
    const reason = (entry: Entry, ...tags: string[]) =>
      short(
        run(
          journey([wait('w')], { ...all, entry }),
          [enters('try', HOUR), enters('try', 2 * HOUR)],
          reachable('p1', (p) => tags.forEach((t) => p.tags.add(t)))
        )
      )
        .filter((l) => l.startsWith('refused'))
        .at(-1);
    expect(reason({ opens: '2028-01-01T00:00:00Z', where: { tag: 'x' } }, 'done')).toBe('refused opens');
    expect(reason({ where: { tag: 'x' } }, 'done')).toBe('refused where');
    expect(reason({})).toBe('refused once');
    expect(reason({ again: 'again' })).toBe('refused walking');
    expect(reason({}, 'done', 'staff')).toBe('refused goal');
    expect(reason({}, 'staff')).toBe('refused leave');
  });
});

describe('how a walk began', () => {
  const asks = (when: object): Journey =>
    journey(
      [
        {
          key: 'b',
          kind: 'branch',
          by: 'rules',
          lanes: [{ label: 'yes', when: when as never, lane: [] }],
          otherwise: { label: 'no', lane: [] }
        }
      ],
      {
        entry: { on: [{ happening: 'purchased' }, { happening: 'tag_added', tag: 'in' }] }
      }
    );
  const buys = (amount: number) =>
    happens('purchased', 0, { order: 'o', amount, items: [{ sku: 'mug', price: amount, quantity: 1 }] });
  it.each<[object, Parameters<typeof run>[1], string]>([
    [{ came: 'purchased' }, [buys(5)], 'yes'],
    [{ came: 'purchased', product: 'mug' }, [buys(5)], 'yes'],
    [{ came: 'purchased', amount: { gt: 5 } }, [buys(5)], 'no'],
    [{ came: 'purchased' }, [tagged('in')], 'no'],
    [{ came: 'tag_added', tag: 'in' }, [tagged('in')], 'yes'],
    [{ came: 'hand' }, [enters('try')], 'yes'],
    [{ came: 'hand' }, [tagged('in')], 'no']
  ])('%j', (when, said, expected) => expect(short(run(asks(when), said))).toContain(`took b ${expected}`));
  it('can be asked of those who want in', () => {
    const j = journey([put('x')], {
      entry: { on: [{ happening: 'purchased' }], where: { came: 'purchased', amount: { gte: 10 } } }
    });
    expect(run(j, [buys(9)]).length).toBe(0);
    expect(run(j, [buys(10)]).length).toBe(3);
  });
});

describe('held out', () => {
  const half: Partial<Journey> = {
    entry: { on: [{ happening: 'tag_added', tag: 'in' }], holdOut: 50 },
    goal: { when: { tag: 'done' }, within: 'P10D' }
  };
  const held = ['p1', 'p2', 'p3', 'p4', 'p5', 'p6'].find((id) => chance('try', '', id) < 0.5)!;
  const taken = ['p1', 'p2', 'p3', 'p4', 'p5', 'p6'].find((id) => chance('try', '', id) >= 0.5)!;
  const lives = (id: string, said: Parameters<typeof run>[1] = [], rest: Partial<Journey> = {}) =>
    story(run(journey([mail('a')], { ...half, ...rest }), [tagged('in'), ...said], reachable(id)));
  it('enters, takes no step, is watched as long as the others, then ends', () => {
    expect(lives(held)).toEqual(['+0 entered', '+0 held-out', '+10d left held-out']);
    expect(lives(taken)).toEqual(['+0 entered', '+0 sent a', '+0 left finished']);
  });
  it('goal and leave rules hold for them too', () => {
    expect(lives(held, [{ ...tagged('done'), after: 10 * DAY }])).toEqual([
      '+0 entered',
      '+0 held-out',
      '+10d left goal'
    ]);
    const stays = { goal: { when: { tag: 'done' }, within: 'P10D', leave: false } };
    expect(lives(held, [{ ...tagged('done'), after: DAY }], stays)).toEqual([
      '+0 entered',
      '+0 held-out',
      '+1d reached',
      '+10d left held-out'
    ]);
    expect(
      lives(held, [{ ...tagged('staff'), after: DAY }], { leaveWhen: [{ when: { tag: 'staff' }, reason: 'staff' }] })
    ).toEqual(['+0 entered', '+0 held-out', '+1d left staff']);
  });
  it('unsubscribing does not end the watch', () =>
    expect(lives(held, [happens('unsubscribed', DAY, { channel: 'email' })]).at(-1)).toBe('+10d left held-out'));
  it('none at 0, all at 100', () => {
    const share = (holdOut: number) => lives(taken, [], { entry: { ...half.entry, holdOut } });
    expect(share(0)[1]).toBe('+0 sent a');
    expect(share(100)[1]).toBe('+0 held-out');
  });
  it('needs to know how long', () =>
    expect(journeySchema.safeParse(journey([], { entry: { holdOut: 10 }, goal: { when: { tag: 'x' } } })).success).toBe(
      false
    ));
});

describe('leaving', () => {
  it('rules are tried in their order; the goal before all of them', () => {
    const rules: Partial<Journey> = {
      leaveWhen: [
        { when: { tag: 'a' }, reason: 'first' },
        { when: { happening: 'tag_added' }, reason: 'second' }
      ]
    };
    const last = (tag: string, rest: Partial<Journey> = {}) =>
      story(run(journey([wait('w', 'P9D')], { ...rules, ...rest }), [tagged('in'), { ...tagged(tag), after: DAY }])).at(
        -1
      );
    expect(last('a')).toBe('+1d left first');
    expect(last('b')).toBe('+1d left second');
    expect(last('a', { goal: { when: { tag: 'a' } } })).toBe('+1d left goal');
  });
  it('a goal is reached at most once, and within its time also after the walk has ended, however it ended', () => {
    const goal = { when: { happening: 'clicked' as const, of: 'a' }, within: 'P5D' };
    const ended = run(
      journey([mail('a'), wait('w', 'P9D')], { goal, leaveWhen: [{ when: { tag: 'staff' }, reason: 'staff' }] }),
      [tagged('in'), { ...tagged('staff'), after: DAY }, did('clicked', 'a', 2 * DAY), did('clicked', 'a', 3 * DAY)]
    );
    expect(story(ended).slice(-2)).toEqual(['+1d left staff', '+2d reached']);
  });
  it('a condition that the clock alone makes true is looked at before the next step', () => {
    const lines = run(
      journey([wait('w', 'P3D'), put('x')], {
        leaveWhen: [{ when: { field: 'visit', last: 'P1D' }, reason: 'just here' }]
      }),
      [tagged('in')],
      reachable('p1', (p) => p.fields.set('visit', '2027-03-03'))
    );
    expect(story(lines).at(-1)).toBe('+3d left just here');
  });
});

describe('built in: unsubscribed and bounced', () => {
  const out = (lane: Journey['lane'], name = 'unsubscribed', more: object = { channel: 'email' }) =>
    story(run(journey(lane), [tagged('in'), did(name, 'a', HOUR, more)])).find((l) => l.startsWith('+1h'));
  it.each<[string, Journey['lane'], string, string | undefined]>([
    [
      'a service message ahead keeps those who unsubscribed',
      [mail('a'), wait('w'), { ...mail('b'), service: true } as never],
      'unsubscribed',
      undefined
    ],
    [
      'but not those who bounced',
      [mail('a'), wait('w'), { ...mail('b'), service: true } as never],
      'bounced',
      '+1h left bounced'
    ],
    [
      'a task ahead keeps both',
      [mail('a'), wait('w'), mail('b'), { key: 't', kind: 'task', title: 'Call' }],
      'bounced',
      undefined
    ],
    [
      'a notice',
      [mail('a'), wait('w'), mail('b'), { key: 'n', kind: 'notify', to: 'owner', text: 'x' }],
      'unsubscribed',
      undefined
    ],
    [
      'a complaint is the same as unsubscribing',
      [mail('a'), wait('w'), mail('b')],
      'complained',
      '+1h left unsubscribed'
    ],
    [
      'what a loop leads back to is ahead as well',
      [
        { key: 'n', kind: 'notify', to: 'owner', text: 'x' },
        mail('a'),
        wait('w'),
        mail('b'),
        { key: 'l', kind: 'loop', to: 'n', atMost: 2 }
      ],
      'unsubscribed',
      undefined
    ],
    [
      'what stands behind a leave is not',
      [mail('a'), wait('w'), mail('b'), { key: 'out', kind: 'leave' }, { key: 't', kind: 'task', title: 'Call' }],
      'unsubscribed',
      '+1h left unsubscribed'
    ]
  ])('%s', (_, lane, name, expected) => expect(out(lane, name, { channel: 'email', hard: true })).toBe(expected));
  it('not when its own listen has just taken it', () => {
    const listens: Journey['lane'] = [
      mail('a'),
      {
        key: 'l',
        kind: 'listen',
        for: [{ label: 'gone', when: { happening: 'unsubscribed', of: 'a' }, lane: [wait('v'), mail('b')] }],
        limit: 'P3D',
        otherwise: { label: 'no', lane: [] }
      }
    ];
    expect(out(listens)).toBe('+1h took l gone');
  });
});
