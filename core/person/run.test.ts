import { describe, expect, it } from 'vitest';
import {
  at,
  branch,
  DAYS,
  did,
  happens,
  journey,
  mail,
  MONDAY,
  put,
  reachable,
  run,
  short,
  tagged,
  text,
  wait
} from '../../tests/make.ts';
import { parseJourney } from '../journey/parse.ts';
import type { Journey } from '../journey/schema.ts';
import type { Step } from '../steps/index.ts';

const enter = (journeyKey = 'try') => ({ input: { kind: 'enter' as const, journey: journeyKey, by: 'hand' } });
const HOUR = 3_600_000;

describe('getting in', () => {
  it('by a tag put on, once ever', () => {
    const lines = run(journey([mail('a')]), [
      tagged('in'),
      { after: HOUR, input: { kind: 'set', removeTags: ['in'] } },
      { after: 2 * HOUR, input: { kind: 'set', addTags: ['in'] } }
    ]);
    expect(short(lines)).toEqual(['entered', 'sent a', 'left finished']);
    expect(lines[0]).toMatchObject({ by: 'tag_added' });
  });

  it('not by another tag, nor by one that was there before', () => {
    expect(run(journey([mail('a')]), [tagged('out')])).toEqual([]);
    expect(
      run(
        journey([mail('a')]),
        [tagged('in')],
        reachable('p1', (p) => p.tags.add('in'))
      )
    ).toEqual([]);
  });

  it('existing people at the start, where the journey says so', () => {
    const existing = journey([mail('a')], { entry: { on: [{ happening: 'tag_added', tag: 'in' }], existing: true } });
    const has = reachable('p1', (p) => p.tags.add('in'));
    expect(run(existing, [], has)[0]).toMatchObject({
      what: 'entered',
      by: 'existing',
      at: new Date(MONDAY).toISOString()
    });
    expect(
      run(
        journey([mail('a')]),
        [],
        reachable('p1', (p) => p.tags.add('in'))
      )
    ).toEqual([]);
  });

  it.each([
    ['where', journey([], { entry: { where: { tag: 'member' } } }), 'where'],
    ['goal', journey([], { goal: { when: { tag: 'in' } } }), 'goal'],
    ['leave', journey([], { leaveWhen: [{ when: { tag: 'in' }, reason: 'had it' }] }), 'leave']
  ])('a refusal by hand is told: %s', (_, j, reason) => {
    const lines = run(
      j,
      [enter()],
      reachable('p1', (p) => p.tags.add('in'))
    );
    expect(lines).toEqual([
      { at: new Date(MONDAY).toISOString(), journey: 'try', step: null, what: 'refused', reason }
    ]);
  });

  it('a second time by hand is refused: once', () => {
    expect(short(run(journey([]), [enter(), { ...enter(), after: HOUR }]))).toEqual([
      'entered',
      'left finished',
      'refused once'
    ]);
  });

  it('one journey sets off another, after it stands still, and in order of the journeys', () => {
    const first = journey([put('next'), mail('a')], { key: 'one' });
    const second = journey([mail('b')], { key: 'two', entry: { on: [{ happening: 'tag_added', tag: 'next' }] } });
    expect(run([second, first], [tagged('in')]).map((l) => `${l['journey']} ${l['what']}`)).toEqual([
      'one entered',
      'one tagged',
      'one sent',
      'one left',
      'two entered',
      'two sent',
      'two left'
    ]);
  });
});

describe('branches', () => {
  const ask = (when: Parameters<typeof branch>[2]): Step[] => [
    mail('a'),
    wait('w', 'P2D'),
    branch('ask', 'yes', when, [put('yes')], [put('no')])
  ];
  const took = (steps: Step[], said: Parameters<typeof run>[1], person = reachable()) =>
    short(run(journey(steps), [tagged('in'), ...said], person)).find((s) => s.startsWith('took'));

  it.each([
    ['opened in time', [did('opened', 'a', HOUR)], 'yes'],
    ['opened at the very instant of the look', [did('opened', 'a', 2 * DAYS)], 'yes'],
    ['opened a millisecond later', [did('opened', 'a', 2 * DAYS + 1)], 'others'],
    ['not opened', [], 'others'],
    ['opened by a machine', [did('opened', 'a', HOUR, { machine: true })], 'others'],
    ['followed a link only', [did('clicked', 'a', HOUR)], 'others']
  ])('%s', (_, said, lane) => expect(took(ask({ did: 'opened', of: 'a' }), said)).toBe(`took ask ${lane}`));

  it.each([
    ['https://quillmoor.example/a', 'yes'],
    ['https://quillmoor.example/A', 'others']
  ])('down to one link, exactly: %s', (link, lane) =>
    expect(
      took(ask({ did: 'clicked', of: 'a', link: 'https://quillmoor.example/a' }), [did('clicked', 'a', HOUR, { link })])
    ).toBe(`took ask ${lane}`)
  );

  it.each([
    [{ field: 'town', is: 'quillmoor' }, 'yes'],
    [{ field: 'town', not: 'Quillmoor' }, 'others'],
    [{ field: 'county', not: 'Moor' }, 'yes'],
    [{ field: 'county', set: false }, 'yes'],
    [{ field: 'county', is: '' }, 'others'],
    [{ field: 'town', set: true, not: 'Thornmere' }, 'yes'],
    [{ consent: 'sms' as const }, 'yes'],
    [{ all: [{ consent: 'sms' as const }, { not: { tag: 'staff' } }] }, 'yes'],
    [{ any: [{ tag: 'staff' }, { tag: 'member' }] }, 'others'],
    [{ not: { any: [{ tag: 'staff' }, { tag: 'in' }] } }, 'others'],
    [{ did: 'sent' as const, of: 'a' }, 'yes'],
    [{ did: 'opened' as const, of: 'later' }, 'others']
  ])('%j takes %s', (when, lane) =>
    expect(
      took(
        ask(when),
        [],
        reachable('p1', (p) => p.fields.set('town', 'Quillmoor'))
      )
    ).toBe(`took ask ${lane}`)
  );

  it('an empty lane rejoins at once, and both lanes meet again', () => {
    const steps = [branch('ask', 'yes', { tag: 'in' }, [], [mail('b')]), mail('c')];
    expect(short(run(journey(steps), [tagged('in')]))).toEqual(['entered', 'took ask yes', 'sent c', 'left finished']);
  });

  it('a step sees what the step before it changed', () => {
    const steps = [put('fresh'), branch('ask', 'yes', { tag: 'fresh' }, [mail('b')], [])];
    expect(short(run(journey(steps), [tagged('in')]))).toContain('sent b');
  });
});

describe('sending', () => {
  const sends = (person: ReturnType<typeof reachable>) =>
    short(run(journey([mail('a'), text('b')]), [tagged('in')], person));

  it.each([
    ['no address', (p: ReturnType<typeof reachable>) => void p.fields.delete('email'), 'skipped a no-address'],
    ['no consent', (p: ReturnType<typeof reachable>) => void (p.consent.email = 'pending'), 'skipped a no-consent'],
    ['consent never asked', (p: ReturnType<typeof reachable>) => void delete p.consent.email, 'skipped a no-consent']
  ])('%s: skipped, and the walk goes on', (_, change, expected) =>
    expect(sends(reachable('p1', change))).toEqual(['entered', expected, 'sent b', 'left finished'])
  );

  it('held outside the hours until they open, in the person’s zone, then all is asked again', () => {
    const hours = { from: '09:00', to: '20:00' };
    const newYork = reachable('p1', (p) => p.fields.set('zone', 'America/New_York'));
    const lines = run(
      journey([mail('a')], { hours }),
      [tagged('in'), { after: 2 * HOUR, input: { kind: 'set', consent: { email: 'withdrawn' } } }],
      newYork
    );
    expect(lines.slice(1)).toMatchObject([
      { what: 'held', until: '2027-03-01T14:00:00.000Z', reason: 'hours' },
      { what: 'skipped', reason: 'no-consent', at: '2027-03-01T14:00:00.000Z' },
      { what: 'left', as: 'finished' }
    ]);
  });

  it('a step of its own hours goes by those, and "any" by none', () => {
    const hours = { from: '10:00', to: '20:00' };
    expect(short(run(journey([{ ...mail('a'), hours: 'any' } as Step], { hours }), [tagged('in')]))).toContain(
      'sent a'
    );
  });

  it('a hard bounce suppresses the address, and the walk leaves', () => {
    const steps = [mail('a'), wait('w'), mail('b')];
    const bounced = did('bounced', 'a', HOUR, { channel: 'email', hard: true });
    expect(short(run(journey(steps), [tagged('in'), bounced]))).toEqual([
      'entered',
      'sent a',
      'waiting w',
      'left bounced'
    ]);
    const other = journey([mail('c')], { key: 'other', entry: { on: [] } });
    expect(
      short(run([journey(steps), other], [tagged('in'), bounced, { ...enter('other'), after: 2 * HOUR }]))
    ).toContain('skipped c suppressed');
  });
});

describe('unsubscribing', () => {
  const unsubscribed = did('unsubscribed', 'a', HOUR, { channel: 'email' });
  it.each<[string, Step[], string]>([
    ['only emails ahead: leaves', [mail('a'), wait('w'), mail('b')], 'left unsubscribed'],
    [
      'a text still ahead: stays, and the email is skipped',
      [mail('a'), wait('w'), mail('b'), text('c')],
      'skipped b no-consent'
    ],
    ['no message ahead at all: stays', [mail('a'), wait('w'), put('done')], 'tagged put-done'],
    [
      'a branch ahead names it: stays',
      [mail('a'), wait('w'), branch('ask', 'yes', { did: 'unsubscribed', of: 'a' }, [], [mail('b')])],
      'took ask yes'
    ]
  ])('%s', (_, steps, expected) => expect(short(run(journey(steps), [tagged('in'), unsubscribed]))[3]).toBe(expected));
});

describe('goal and leaving', () => {
  const long = [mail('a'), wait('w', 'P10D'), mail('b')];

  it('a happening reaches the goal and ends the walk', () => {
    const goal = { when: { happening: 'purchased' as const, product: 'membership' } };
    const buys = (sku: string) => [
      { after: DAYS, input: { kind: 'happening' as const, happening: { name: 'purchased', at: 0, items: [{ sku }] } } }
    ];
    expect(short(run(journey(long, { goal }), [tagged('in'), ...buys('membership')])).at(-1)).toBe('left goal');
    expect(short(run(journey(long, { goal }), [tagged('in'), ...buys('mug')])).at(-1)).toBe('left finished');
  });

  it.each([
    ['to the millisecond', 5 * DAYS, true],
    ['not later', 5 * DAYS + 1, false]
  ])('within is inclusive: %s', (_, after, reached) => {
    const goal = { when: { happening: 'clicked' as const, of: 'a' }, leave: false, within: 'P5D' };
    expect(short(run(journey(long, { goal }), [tagged('in'), did('clicked', 'a', after)])).includes('reached')).toBe(
      reached
    );
  });

  it('counts after the walk has ended, once', () => {
    const goal = { when: { happening: 'clicked' as const, of: 'a' }, within: 'P5D' };
    const lines = short(
      run(journey([mail('a')], { goal }), [tagged('in'), did('clicked', 'a', DAYS), did('clicked', 'a', 2 * DAYS)])
    );
    expect(lines).toEqual(['entered', 'sent a', 'left finished', 'reached']);
  });

  it.each([
    [happens('purchased', DAYS, { order: 'o1', amount: 5, items: [] }), true],
    [happens('form_sent', DAYS, { form: 'visit' }), true],
    [happens('form_sent', DAYS, { form: 'other' }), false]
  ])('any of several happenings reaches the goal, or lets people leave (%#)', (happened, counts) => {
    const when = [{ happening: 'purchased' as const }, { happening: 'form_sent' as const, form: 'visit' }];
    const last = (rest: Partial<Journey>): string | undefined =>
      short(run(journey(long, rest), [tagged('in'), happened])).at(-1);
    expect(last({ goal: { when } })).toBe(counts ? 'left goal' : 'left finished');
    expect(last({ leaveWhen: [{ when, reason: 'done' }] })).toBe(counts ? 'left done' : 'left finished');
  });

  it.each<[string, unknown, RegExp]>([
    ['none', [], /^goal\.when/],
    ['a condition among them', [{ happening: 'purchased' }, { tag: 'x' }], /^goal\.when\[1\]/],
    ['one that there is not', [{ happening: 'bought' }], /^goal\.when\[0\]/]
  ])('of several happenings: %s is bad', (_, when, path) => {
    const { problems } = parseJourney(JSON.stringify({ ...journey([put('x')]), goal: { when } }));
    expect(problems[0]?.path).toMatch(path);
  });

  it('an opt-out has the channel of the message it names, whether that was sent or not', () => {
    const lane = [wait('w'), text('t'), mail('a')];
    const stops = { ...did('unsubscribed', 't', HOUR, { channel: 'email' }) };
    expect(short(run(journey(lane), [tagged('in'), stops]))).toEqual([
      'entered',
      'waiting w',
      'skipped t no-consent',
      'sent a',
      'left finished'
    ]);
  });

  it.each([
    [{ channel: 'email' as const }, 'sent t'],
    [{}, 'left unsubscribed']
  ])('where two journeys have a step of that key, it is the one of the channel that was said: %j', (more, expected) => {
    const first = journey([wait('w'), text('t')]);
    const second = journey([mail('t')], { key: 'two', entry: {} });
    const lines = run([first, second], [tagged('in'), did('unsubscribed', 't', HOUR, more)]);
    expect(short(lines)).toContain(expected);
  });

  it('conditions are looked at before each step and after the last; goal first', () => {
    const both = { goal: { when: { tag: 'done' } }, leaveWhen: [{ when: { tag: 'done' }, reason: 'also' }] };
    expect(short(run(journey([put('done'), mail('b')], both), [tagged('in')]))).toEqual([
      'entered',
      'tagged put-done',
      'left goal'
    ]);
    expect(short(run(journey([put('done')], both), [tagged('in')])).at(-1)).toBe('left goal');
  });

  it('a leave rule acts while the walk stands', () => {
    const lines = run(journey(long, { leaveWhen: [{ when: { tag: 'staff' }, reason: 'staff' }] }), [
      tagged('in'),
      { ...tagged('staff'), after: 3 * DAYS }
    ]);
    expect(lines.at(-1)).toMatchObject({
      what: 'left',
      as: 'early',
      reason: 'staff',
      at: new Date(MONDAY + 3 * DAYS).toISOString()
    });
  });
});

it('happenings at an instant come before the timers of that instant', () => {
  const steps = [wait('w'), branch('ask', 'yes', { tag: 'late' }, [], [])];
  expect(short(run(journey(steps), [tagged('in'), { ...tagged('late'), after: DAYS }]))).toContain('took ask yes');
});

it('two walks due at one instant fire oldest first', () => {
  const one = journey([wait('w'), put('a')], { key: 'one' });
  const two = journey([wait('w'), put('b')], { key: 'two', entry: { on: [{ happening: 'tag_added', tag: 'in' }] } });
  const order = run([two, one], [tagged('in')]).filter((l) => l['what'] === 'tagged');
  expect(order.map((l) => l['journey'])).toEqual(['two', 'one']);
});

it('more than a thousand steps without standing still is a runaway', () => {
  const many = Array.from({ length: 1001 }, (_, i): Step => ({ key: `s${i}`, kind: 'score', score: 'x', add: 1 }));
  expect(run(journey(many), [tagged('in')]).at(-1)).toMatchObject({ what: 'left', as: 'stopped', reason: 'runaway' });
  expect(run(journey(many.slice(1)), [tagged('in')]).at(-1)).toMatchObject({ as: 'finished' });
});

it('several changes at once: all facts first, then each is handled', () => {
  const j = journey([branch('ask', 'yes', { tag: 'other' }, [], [])]);
  expect(short(run(j, [tagged('in', 'other')]))).toContain('took ask yes');
});

it('what happened before the journeys are live begins nothing, but counts as a fact', () => {
  const lines = run(journey([mail('a')], { entry: { on: [{ happening: 'tag_added', tag: 'in' }], existing: true } }), [
    { at: at('2027-02-01T00:00:00Z'), input: { kind: 'set', addTags: ['in'] } }
  ]);
  expect(short(lines)).toEqual(['entered', 'sent a', 'left finished']);
  expect(lines[0]).toMatchObject({ at: new Date(MONDAY).toISOString(), by: 'existing' });
});
