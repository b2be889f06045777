/** listen and awaited tasks: looking back, waiting, what counts as new, limits and idleness. */
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
  text,
  wait
} from '../../tests/make.ts';
import type { HappeningOrCondition } from '../condition/schema.ts';
import type { Step } from './index.ts';

const DAY = 24 * HOUR;
const listen = (key: string, entries: [string, HappeningOrCondition][], more: object = {}): Step =>
  ({
    key,
    kind: 'listen',
    for: entries.map(([label, when]) => ({ label, when, lane: [put(`${key}-${label}`)] })),
    limit: 'P3D',
    otherwise: { label: 'late', lane: [put(`${key}-late`)] },
    ...more
  }) as Step;
const opened: [string, HappeningOrCondition] = ['opened', { happening: 'opened', of: 'a' }];
const clicked: [string, HappeningOrCondition] = ['clicked', { happening: 'clicked', of: 'a' }];
const replied: [string, HappeningOrCondition] = ['replied', { happening: 'replied' }];
const lane = (lines: ReturnType<typeof run>, step = 'l') => story(lines).find((l) => l.includes(`took ${step}`));

describe('what was never sent or made', () => {
  const made = (when: HappeningOrCondition, before: Step[] = []): Step[] => [
    ...before,
    listen('l', [['it', when]]),
    mail('a'),
    task('k')
  ];
  const task = (key: string): Step => ({ key, kind: 'task', title: 'Call' });
  const two = byHand('two', [mail('a'), task('k')]);
  it.each<[string, Step[], string]>([
    ['a message of this journey', made({ happening: 'opened', of: 'a' }), '+0 took l late'],
    ['a task of this journey', made({ happening: 'task_done', of: 'k' }), '+0 took l late'],
    ['a task that was made', made({ happening: 'task_done', of: 'k2' }, [task('k2')]), '+3d took l late'],
    ['a message of another journey', made({ happening: 'opened', of: 'a', journey: 'two' }), '+3d took l late'],
    ['a task of another journey', made({ happening: 'task_done', of: 'k', journey: 'two' }), '+3d took l late'],
    ['anything at all', made({ happening: 'page_seen' }), '+3d took l late']
  ])('%s', (_, steps, expected) => expect(lane(run([journey(steps), two], [tagged('in')]))).toBe(expected));
});

describe('while it waits', () => {
  const asks = journey([mail('a'), listen('l', [opened, clicked])]);
  it.each<[string, Parameters<typeof run>[1], string]>([
    ['the first of several', [did('clicked', 'a', HOUR), did('opened', 'a', 2 * HOUR)], '+1h took l clicked'],
    [
      'the one listed first, at one instant, in order of arrival',
      [did('clicked', 'a', HOUR), did('opened', 'a', HOUR)],
      '+1h took l clicked'
    ],
    ['none in time', [], '+3d took l late'],
    ['at the limit a happening still comes before the timer', [did('opened', 'a', 3 * DAY)], '+3d took l opened'],
    ['a millisecond late', [did('opened', 'a', 3 * DAY + 1)], '+3d took l late'],
    ['a machine is nobody', [did('opened', 'a', HOUR, { machine: true })], '+3d took l late'],
    ['another message', [happens('opened', HOUR, { channel: 'sms' })], '+3d took l late'],
    [
      'one that names no message is about the latest of its channel',
      [happens('opened', HOUR, { channel: 'email' })],
      '+1h took l opened'
    ]
  ])('%s', (_, said, expected) => expect(lane(run(asks, [tagged('in'), ...said]))).toBe(expected));

  it('says until when, and the lane it takes, and goes on behind it', () => {
    const lines = run(journey([mail('a'), listen('l', [opened]), put('after')]), [
      tagged('in'),
      did('opened', 'a', HOUR)
    ]);
    expect(story(lines)).toEqual([
      '+0 entered',
      '+0 sent a',
      '+0 waiting l',
      '+1h took l opened',
      '+1h tagged put-l-opened',
      '+1h tagged put-after',
      '+1h left finished'
    ]);
    expect(lines[2]).toMatchObject({ until: '2027-03-04T09:00:00.000Z' });
  });

  it('conditions are looked at again after each happening, in their place among the entries', () => {
    const keen: [string, HappeningOrCondition] = ['keen', { tag: 'keen' }];
    const any: [string, HappeningOrCondition] = ['any', { happening: 'tag_added' }];
    expect(lane(run(journey([listen('l', [keen, any])]), [tagged('in'), { ...tagged('keen'), after: HOUR }]))).toBe(
      '+1h took l keen'
    );
    expect(lane(run(journey([listen('l', [any, keen])]), [tagged('in'), { ...tagged('keen'), after: HOUR }]))).toBe(
      '+1h took l any'
    );
    // By the clock alone a condition wakes nobody.
    const today: [string, HappeningOrCondition] = ['today', { field: 'visit', dayIs: true }];
    const visiting = reachable('p1', (p) => p.fields.set('visit', '2027-03-02'));
    expect(lane(run(journey([listen('l', [today])]), [tagged('in')], visiting))).toBe('+3d took l late');
    const woken = reachable('p1', (p) => p.fields.set('visit', '2027-03-02'));
    expect(
      lane(run(journey([listen('l', [today])]), [tagged('in'), happens('page_seen', DAY, { url: '/' })], woken))
    ).toBe('+1d took l today');
  });
});

describe('on arrival', () => {
  it('is met by what has happened since the step last sent, the earliest over all entries', () => {
    const asks = journey([mail('a'), wait('w'), listen('l', [opened, clicked])]);
    expect(lane(run(asks, [tagged('in'), did('clicked', 'a', HOUR), did('opened', 'a', 2 * HOUR)]))).toBe(
      '+1d took l clicked'
    );
    expect(lane(run(asks, [tagged('in'), did('clicked', 'a', HOUR), did('opened', 'a', HOUR)]))).toBe(
      '+1d took l opened'
    );
    const other = journey([mail('a'), wait('w'), listen('l', [clicked, opened])]);
    expect(lane(run(other, [tagged('in'), did('opened', 'a', HOUR), did('clicked', 'a', HOUR)]))).toBe(
      '+1d took l clicked'
    );
  });

  it('then by a condition that holds', () => {
    const asks = journey([mail('a'), wait('w'), listen('l', [['in', { tag: 'in' }], opened])]);
    expect(lane(run(asks, [tagged('in')]))).toBe('+1d took l in');
    // What has happened goes first, wherever it is listed.
    expect(lane(run(asks, [tagged('in'), did('opened', 'a', HOUR)]))).toBe('+1d took l opened');
  });

  it('not by what an entry without a message asks for: that waits for something new', () => {
    const asks = journey([mail('a'), wait('w'), listen('l', [replied])]);
    expect(lane(run(asks, [tagged('in'), did('replied', 'a', HOUR, { text: 'yes' })]))).toBe('+4d took l late');
    expect(lane(run(asks, [tagged('in'), did('replied', 'a', 2 * DAY, { text: 'yes' })]))).toBe('+2d took l replied');
  });

  it('what a listen of this walk has taken is used up', () => {
    const asks = journey([mail('a'), listen('l', [opened]), listen('m', [opened, clicked])]);
    const once = run(asks, [tagged('in'), did('opened', 'a', HOUR)]);
    expect(lane(once, 'm')).toBe('+73h took m late');
    const twice = run(asks, [tagged('in'), did('opened', 'a', HOUR), did('opened', 'a', 2 * HOUR)]);
    expect(lane(twice, 'm')).toBe('+2h took m opened');
  });

  it('after a loop has sent again, what happened to the first copy no longer counts', () => {
    const again: Step = { key: 'again', kind: 'loop', to: 'a', atMost: 1 };
    const asks = journey([mail('a'), wait('w'), listen('l', [opened], { limit: 'PT1H' }), again]);
    const lines = story(run(asks, [tagged('in'), did('opened', 'a', HOUR)])).filter((l) => l.includes('took'));
    expect(lines).toEqual(['+1d took l opened', '+49h took l late']);
  });

  it('otherwise at once, where every entry names a message that was not sent in this walk', () => {
    const noMail = reachable('p1', (p) => p.fields.delete('email'));
    expect(lane(run(journey([mail('a'), listen('l', [opened, clicked])]), [tagged('in')], noMail))).toBe(
      '+0 took l late'
    );
    const some = reachable('p1', (p) => p.fields.delete('email'));
    expect(lane(run(journey([mail('a'), listen('l', [opened, replied])]), [tagged('in')], some))).toBe(
      '+3d took l late'
    );
    const one = journey([text('t'), mail('a'), listen('l', [opened, ['answered', { happening: 'replied', of: 't' }]])]);
    const half = reachable('p1', (p) => p.fields.delete('email'));
    expect(lane(run(one, [tagged('in'), did('replied', 't', HOUR)], half))).toBe('+1h took l answered');
  });

  it('another journey’s message: what happened since that one sent it', () => {
    const other = byHand('other', [mail('b'), wait('w', 'P9D')]);
    const asks = journey([listen('l', [['theirs', { happening: 'opened', of: 'b', journey: 'other' }]])]);
    const before = run(
      [asks, other],
      [enters('other'), { ...did('opened', 'b', HOUR) }, { ...tagged('in'), after: 2 * HOUR }]
    );
    expect(story(before).find((l) => l.includes('took l'))).toBe('+2h took l theirs');
    const after = run([asks, other], [enters('other'), { ...tagged('in'), after: HOUR }, did('opened', 'b', 5 * HOUR)]);
    expect(story(after).find((l) => l.includes('took l'))).toBe('+5h took l theirs');
  });
});

describe('what the walk itself caused', () => {
  const added: [string, HappeningOrCondition] = ['added', { happening: 'tag_added', tag: 'x' }];
  it('meets no entry without a message', () => {
    expect(lane(run(journey([put('x'), listen('l', [added])]), [tagged('in')]))).toBe('+3d took l late');
  });
  it('nor do the points, rungs and segments that follow from it', () => {
    const shared = settings({
      segments: [{ name: 'keen', when: { tag: 'x' } }],
      scores: [{ name: 'interest', rules: [{ when: { happening: 'tag_added', tag: 'x' }, add: 5 }] }]
    });
    const asks = journey([
      put('x'),
      listen('l', [
        ['segment', { happening: 'segment_joined' }],
        ['points', { happening: 'score_reached', score: 'interest', points: 5 }]
      ])
    ]);
    expect(lane(run(asks, [tagged('in')], reachable(), 60, shared))).toBe('+3d took l late');
    const other = byHand('other', [put('x')]);
    const waits = journey([listen('l', [['segment', { happening: 'segment_joined' }]])]);
    expect(
      story(run([waits, other], [tagged('in'), enters('other', HOUR)], reachable(), 60, shared)).find((l) =>
        l.includes('took l')
      )
    ).toBe('+1h took l segment');
  });
  it('nor the entry of its own hand-over', () => {
    const asks = journey([
      { key: 'go', kind: 'handover', journey: 'other', stay: true },
      listen('l', [['entered', { happening: 'entered' }]])
    ]);
    const lines = run([asks, byHand('other', [put('y')])], [tagged('in')]);
    expect(story(lines).find((l) => l.includes('took l'))).toBe('+3d took l late');
  });
});

describe('idle', () => {
  const idle = (length: string, limit = 'P3D') =>
    story(run(journey([mail('a'), listen('l', [opened], { limit })], { idle: length }), [tagged('in')])).at(-1);
  it('leaves a listen where that comes before its limit; equal, the limit wins', () => {
    expect(idle('P2D')).toBe('+2d left idle');
    expect(idle('P3D')).toBe('+3d left finished');
    expect(idle('P4D')).toBe('+3d left finished');
  });
  it('says until when it stands: the earlier of the two', () => {
    const lines = run(journey([mail('a'), listen('l', [opened])], { idle: 'P1D' }), [tagged('in')]);
    expect(lines[2]).toMatchObject({ what: 'waiting', until: '2027-03-02T09:00:00.000Z' });
  });
  it('a wait is never idle', () => {
    expect(story(run(journey([wait('w', 'P9D')], { idle: 'P1D' }), [tagged('in')])).at(-1)).toBe('+9d left finished');
  });
});

describe('an awaited task', () => {
  const task = (more: object = {}): Step => ({ key: 't', kind: 'task', title: 'Call them', ...more }) as Step;
  const done = (after: number, more = {}) => did('task_done', 't', after, more);
  it('is made and not waited for', () => {
    expect(story(run(journey([task(), put('x')]), [tagged('in')]))).toEqual([
      '+0 entered',
      '+0 tasked t',
      '+0 tagged put-x',
      '+0 left finished'
    ]);
  });
  it.each<[string, Parameters<typeof run>[1], object, string[]]>([
    ['done', [done(DAY)], {}, ['+0 tasked t', '+0 waiting t', '+1d tagged put-x', '+1d left finished']],
    [
      'not done: goes on at the limit',
      [],
      {},
      ['+0 tasked t', '+0 waiting t', '+5d tagged put-x', '+5d left finished']
    ],
    ['idle before the limit', [], { idle: 'P2D' }, ['+0 tasked t', '+0 waiting t', '+2d left idle']],
    [
      'done before it was made',
      [{ ...done(0), after: -HOUR }],
      {},
      ['+0 tasked t', '+0 waiting t', '+5d tagged put-x', '+5d left finished']
    ]
  ])('%s', (_, said, rest, expected) => {
    const lines = run(journey([task({ await: { limit: 'P5D' } }), put('x')], rest), [tagged('in'), ...said]);
    expect(story(lines).filter((l) => !l.includes('entered'))).toEqual(expected);
  });
  it('can be listened for, with its outcome, since it was made', () => {
    const asks = journey([
      task(),
      wait('w'),
      listen('l', [
        ['yes', { happening: 'task_done', of: 't', outcome: 'yes' }],
        ['no', { happening: 'task_done', of: 't' }]
      ])
    ]);
    expect(lane(run(asks, [tagged('in'), done(HOUR, { outcome: 'yes' })]))).toBe('+1d took l yes');
    expect(lane(run(asks, [tagged('in'), done(2 * DAY, { outcome: 'nobody there' })]))).toBe('+2d took l no');
  });
  it('a branch sees what came of it', () => {
    const asks: Step = {
      key: 'ask',
      kind: 'branch',
      by: 'rules',
      lanes: [{ label: 'done', when: { did: 'task_done', of: 't' }, lane: [] }],
      otherwise: { label: 'not', lane: [] }
    };
    expect(short(run(journey([task(), wait('w'), asks]), [tagged('in'), done(HOUR)]))).toContain('took ask done');
    expect(short(run(journey([task(), wait('w'), asks]), [tagged('in')]))).toContain('took ask not');
  });
});

describe('answers', () => {
  const asks = journey([
    text('t'),
    listen('l', [['yes', { happening: 'replied', of: 't', matches: ['yes', 'count me in'] }]])
  ]);
  it.each([
    ['Yes!', 'yes'],
    ['yes please', 'yes'],
    ['YES', 'yes'],
    ['Count me in, thanks', 'yes'],
    ['yesterday', 'late'],
    ['oh yes', 'late'],
    ['', 'late']
  ])('%j takes %s', (words, expected) => {
    const lines = run(asks, [tagged('in'), did('replied', 't', HOUR, { text: words })]);
    expect(lane(lines)).toContain(`took l ${expected}`);
  });
});

it('a change of facts wakes a listening walk only where a condition asks', () => {
  const asks = journey([listen('l', [['town', { field: 'town', is: 'Quillmoor' }]])]);
  expect(lane(run(asks, [tagged('in'), sets(HOUR, { fields: { town: 'quillmoor' } })]))).toBe('+1h took l town');
});
