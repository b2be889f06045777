/** Each check with what it finds, what it leaves alone, and what is left once its own edit is applied. */
import { describe, expect, it } from 'vitest';
import { branch, byHand, journey, MONDAY, mail, put, settings, text, wait } from '../../tests/make.ts';
import { applyEdit } from '../edit/edit.ts';
import type { Journey } from '../journey/schema.ts';
import type { Step } from '../steps/index.ts';
import { digestOf, type Around } from './around.ts';
import { findingsOf } from './index.ts';

const GOAL: Partial<Journey> = { goal: { when: { tag: 'done' } } };
const DAY_HOURS = { from: '09:00', to: '20:00' };
const say = (key: string, words: string, more: object = {}): Step =>
  ({ key, kind: 'email', subject: `About ${key}`, text: words, ...more }) as Step;
const sms = (key: string, words: string): Step => ({ key, kind: 'sms', text: words });
const leave: Step = { key: 'out', kind: 'leave', reason: 'done' };
const replied = (label: string, matches?: string[]): object => ({
  label,
  when: { happening: 'replied', of: 'a', ...(matches ? { matches } : {}) },
  lane: []
});
const listen = (...lanes: object[]): Step =>
  ({ key: 'l', kind: 'listen', for: lanes, limit: 'P2D', otherwise: { label: 'silent', lane: [] } }) as Step;
const live = (document: Journey, isLive = true): Around => ({
  journeys: [{ key: document.key, name: document.name ?? document.key, live: isLive, document: digestOf(document) }],
  settings: null
});
const ON_A_DATE: Partial<Journey> = { ...GOAL, entry: { date: { field: 'visit', offset: '-P5D' } } };
const until = (key: string, offset: string): Step => ({ key, kind: 'wait', until: { field: 'visit', offset } });

const OVER: Step = { key: 'h', kind: 'handover', journey: 'other' };
const other = (entry: object): Journey => ({ ...journey([put('y')], { entry: { on: [], ...entry } }), key: 'other' });

type Case = [name: string, lane: Step[], rest: Partial<Journey>, around: Around, expected: string[]];
const found = (lane: Step[], rest: Partial<Journey>, around: Around): string[] =>
  findingsOf(journey(lane, { ...GOAL, ...rest }), around).map((f) => `${f.check}${f.step ? ` ${f.step}` : ''}`);

describe('a ring in which nobody stands still', () => {
  const AGAIN = { again: 'again' as const };
  const handing = (key: string, to: string, ...before: Step[]): Journey =>
    byHand(key, [...before, { key: 'h', kind: 'handover', journey: to }], { entry: AGAIN });
  const among = (...all: Journey[]): Around => ({ journeys: all.flatMap((j) => live(j).journeys ?? []) });
  const rings = (document: Journey, around: Around): string[] =>
    findingsOf(document, around).flatMap((f) => (f.check === 'ring' ? [`${f.severity}: ${f.text}`] : []));
  const tagged = (key: string, on: string, ...lane: Step[]): Journey =>
    byHand(key, lane, { entry: { on: [{ happening: 'tag_added', tag: on }], ...AGAIN } });
  const off = (tag: string): Step => ({ key: `off-${tag}`, kind: 'tag', remove: [tag] });

  it.each<[string, Journey, Around, boolean]>([
    ['two that hand over to each other', handing('one', 'two'), among(handing('two', 'one')), true],
    ['three of them', handing('one', 'two'), among(handing('two', 'three'), handing('three', 'one')), true],
    ['with a wait in one of them', handing('one', 'two', wait('w')), among(handing('two', 'one')), false],
    ['with a wait in the other', handing('one', 'two'), among(handing('two', 'one', wait('w'))), false],
    [
      'with a wait in one lane of it only',
      handing('one', 'two', branch('b', 'x', { tag: 't' }, [wait('w')], [])),
      among(handing('two', 'one')),
      true
    ],
    [
      'with a listen on the way',
      handing('one', 'two', listen({ label: 'x', when: { tag: 't' }, lane: [] })),
      among(handing('two', 'one')),
      false
    ],
    ['one that lets people in once', handing('one', 'two'), among({ ...handing('two', 'one'), entry: {} }), false],
    [
      'by tags that are put on and taken off',
      tagged('one', 'a', off('a'), put('b')),
      among(tagged('two', 'b', off('b'), put('a'))),
      true
    ],
    ['by tags that nobody takes off', tagged('one', 'a', put('b')), among(tagged('two', 'b', put('a'))), false],
    [
      'by the end of the other',
      byHand('one', [mail('a')], { entry: { on: [{ happening: 'left', journey: 'two' }], ...AGAIN } }),
      among(byHand('two', [mail('b')], { entry: { on: [{ happening: 'left', journey: 'one' }], ...AGAIN } })),
      true
    ],
    ['one that begins itself', tagged('one', 'a', off('a'), put('a')), among(), true],
    [
      'a step of it turned off',
      handing('one', 'two'),
      among({ ...handing('two', 'one'), lane: [{ key: 'h', kind: 'handover', journey: 'one', off: true }] }),
      false
    ]
  ])('%s', (_, document, around, is) => {
    const found = rings(document, around);
    expect(found).toHaveLength(is ? 1 : 0);
    if (is) expect(found[0]).toMatch(/^blocker: .*nobody stands still on the way: “one”/);
  });
});

describe('what a check finds and what it leaves alone', () => {
  it.each<Case>([
    ['a step behind a leaving', [leave, mail('a')], {}, {}, ['never-reached a']],
    ['only the first of what nobody reaches', [leave, mail('a'), mail('b')], {}, {}, ['never-reached a']],
    ['behind a hand-over', [{ key: 'h', kind: 'handover', journey: 'x' }, mail('a')], {}, {}, ['never-reached a']],
    [
      'behind a hand-over that stays',
      [{ key: 'h', kind: 'handover', journey: 'x', stay: true }, mail('a')],
      {},
      {},
      []
    ],
    [
      'behind lanes that all end',
      [branch('b', 'x', { tag: 't' }, [leave], [{ ...leave, key: 'o2' }]), mail('a')],
      {},
      {},
      ['never-reached a']
    ],
    ['behind lanes of which one goes on', [branch('b', 'x', { tag: 't' }, [leave], []), mail('a')], {}, {}, []],

    [
      'a lane for the goal itself',
      [mail('a'), listen({ label: 'clicked', when: { happening: 'clicked', of: 'a' }, lane: [put('x')] })],
      { goal: { when: { happening: 'clicked', of: 'a' } } },
      {},
      ['ended-before l']
    ],
    [
      'a lane for a goal that keeps people in',
      [mail('a'), listen({ label: 'clicked', when: { happening: 'clicked', of: 'a' }, lane: [put('x')] })],
      { goal: { when: { happening: 'clicked', of: 'a' }, leave: false } },
      {},
      []
    ],

    [
      'a later lane that an earlier one takes all of',
      [three({ tag: 't' }, { all: [{ tag: 't' }, { tag: 'u' }] })],
      {},
      {},
      ['same-question b']
    ],
    ['one question twice', [three({ tag: 't' }, { tag: 't' })], {}, {}, ['same-question b']],
    ['the narrower first', [three({ all: [{ tag: 't' }, { tag: 'u' }] }, { tag: 't' })], {}, {}, []],
    [
      'one value on two lanes',
      [
        {
          key: 'v',
          kind: 'branch',
          by: 'values',
          of: { field: 'town' },
          lanes: [
            { label: 'a', values: ['Cork'], lane: [] },
            { label: 'b', values: ['cork'], lane: [] }
          ],
          otherwise: { label: 'o', lane: [] }
        }
      ],
      {},
      {},
      ['same-question v']
    ],

    [
      'one page under two addresses',
      [say('a', 'https://quillmoor.example/night?a=1&b=2'), say('b', 'http://www.quillmoor.example/night/?b=2&a=1')],
      {},
      {},
      ['one-link-two-ways b']
    ],
    [
      'two pages, and one address twice',
      [
        say('a', 'https://quillmoor.example/night'),
        say('b', 'https://quillmoor.example/night https://quillmoor.example/day')
      ],
      {},
      {},
      []
    ],
    [
      'a lane whose messages have no aim, where others have one',
      [say('a', 'Hello', { aim: 'book' }), branch('b', 'x', { tag: 't' }, [mail('c')], [put('x')])],
      {},
      {},
      ['no-aim b']
    ],
    ['nobody writes aims', [mail('a'), branch('b', 'x', { tag: 't' }, [mail('c')], [])], {}, {}, []],

    [
      'a hand-over that opens later',
      [OVER],
      {},
      { ...live(other({ opens: '2027-05-01T00:00:00Z' })), now: MONDAY },
      ['handed-refused h']
    ],
    ['a hand-over that is open', [OVER], {}, { ...live(other({ opens: '2027-02-01T00:00:00Z' })), now: MONDAY }, []],
    [
      'a hand-over that wants no such tag',
      [put('x'), OVER],
      {},
      live(other({ where: { not: { tag: 'x' } } })),
      ['handed-refused h']
    ],
    [
      'a tag that is taken off before',
      [put('x'), { key: 'r', kind: 'tag', remove: ['x'] }, OVER],
      {},
      live(other({ where: { not: { tag: 'x' } } })),
      []
    ],
    ['a hand-over that wants a tag they may have', [OVER], {}, live(other({ where: { tag: 'y' } })), []],
    [
      'a hand-over that wants more than anyone here has',
      [OVER],
      { entry: { on: [{ happening: 'tag_added', tag: 'in' }], where: { field: 'visits', lt: 3 } } },
      live(other({ where: { field: 'visits', gte: 3 } })),
      ['handed-refused h']
    ],
    [
      'a hand-over back to where all have been',
      [OVER],
      { entry: { on: [{ happening: 'goal_reached', journey: 'other' }] } },
      live(other({})),
      ['handed-refused h']
    ],
    [
      'a hand-over back to where they may come again',
      [OVER],
      { entry: { on: [{ happening: 'goal_reached', journey: 'other' }] } },
      live(other({ again: 'again' })),
      []
    ],
    [
      'a goal they have',
      [put('x'), OVER],
      {},
      live({ ...other({}), goal: { when: { tag: 'x' } } }),
      ['handed-refused h']
    ],
    [
      'a rule by which they would leave',
      [put('x'), OVER],
      {},
      live({ ...other({}), leaveWhen: [{ when: { tag: 'x' }, reason: 'has it' }] }),
      ['handed-refused h']
    ],

    [
      'a rule against itself',
      [put('x')],
      { entry: { on: [], where: { all: [{ tag: 't' }, { not: { tag: 't' } }] } } },
      {},
      ['no-way-in', 'always-or-never']
    ],
    [
      'bounds that leave nothing',
      [
        branch(
          'b',
          'x',
          {
            all: [
              { field: 'n', gte: 5 },
              { field: 'n', lt: 5 }
            ]
          },
          [],
          []
        )
      ],
      {},
      {},
      ['always-or-never b']
    ],
    [
      'bounds that leave one value',
      [
        branch(
          'b',
          'x',
          {
            all: [
              { field: 'n', gte: 5 },
              { field: 'n', lte: 5 }
            ]
          },
          [],
          []
        )
      ],
      {},
      {},
      []
    ],
    [
      'two values at once',
      [
        branch(
          'b',
          'x',
          {
            all: [
              { field: 'n', is: 'a' },
              { field: 'n', is: 'b' }
            ]
          },
          [],
          []
        )
      ],
      {},
      {},
      ['always-or-never b']
    ],
    [
      'something or its opposite',
      [branch('b', 'x', { any: [{ tag: 't' }, { not: { tag: 't' } }] }, [], [])],
      {},
      {},
      ['always-or-never b']
    ],

    [
      'three messages and nobody leaves',
      [mail('a'), wait('w'), mail('b'), wait('v'), mail('c')],
      { goal: { when: { tag: 'done' }, leave: false } },
      {},
      ['nobody-leaves']
    ],
    [
      'two messages and nobody leaves',
      [mail('a'), wait('w'), mail('b')],
      { goal: { when: { tag: 'done' }, leave: false } },
      {},
      []
    ],

    [
      'three messages in a day without a limit',
      [mail('a'), mail('b'), wait('w', 'PT5H'), mail('c')],
      {},
      { settings: null },
      ['many-in-a-day c']
    ],
    [
      'the same with a limit',
      [mail('a'), mail('b'), mail('c')],
      {},
      { settings: settings({ limits: [{ atMost: 2, per: 'P1D' }] }) },
      []
    ],
    [
      'three on lanes of which one is taken',
      [mail('a'), branch('b', 'x', { tag: 't' }, [mail('c')], [mail('d')])],
      {},
      { settings: null },
      []
    ],

    [
      'a wait for a date that is over',
      [mail('a'), { key: 'w', kind: 'wait', until: { date: '2027-01-01' } }, mail('b')],
      {},
      { now: Date.UTC(2027, 2, 1) },
      ['date-past w']
    ],
    [
      'a wait for one to come',
      [mail('a'), { key: 'w', kind: 'wait', until: { date: '2027-05-01' } }, mail('b')],
      {},
      { now: Date.UTC(2027, 2, 1) },
      []
    ],
    [
      'an entry that is over',
      [mail('a')],
      { entry: { date: { on: '2027-01-01' } } },
      { now: Date.UTC(2027, 2, 1) },
      ['date-past']
    ],

    ['a wait for what has passed by then', [until('w', '-P9D'), mail('a')], ON_A_DATE, {}, ['passed-by-then w']],
    ['a wait for what is to come', [until('w', '-P2D'), mail('a')], ON_A_DATE, {}, []],
    [
      'a reminder after the day',
      [until('w', 'P2D'), say('a', 'See you there on Friday!')],
      ON_A_DATE,
      {},
      ['after-the-date a']
    ],
    ['a reminder before it', [until('w', '-P2D'), say('a', 'See you there on Friday!')], ON_A_DATE, {}, []],

    ['a field without a fallback', [say('a', 'Hello {{ person.first_name }}')], {}, {}, ['no-fallback a']],
    ['one that everybody has', [say('a', 'Hello {{ person.first_name }}')], {}, { without: { first_name: 0 } }, []],
    ['one with a fallback', [say('a', "Hello {{ person.first_name | default: 'you' }}")], {}, {}, []],
    [
      'one that is asked for before',
      [say('a', '{% if person.first_name %}Hello {{ person.first_name }}{% endif %}')],
      {},
      {},
      []
    ],

    ['a text of two parts', [sms('t', 'x'.repeat(161))], { hours: DAY_HOURS }, {}, ['several-parts t']],
    ['a text of one', [sms('t', 'x'.repeat(160))], { hours: DAY_HOURS }, {}, []],

    ['a link without its second slash', [say('a', 'Go to https:/quillmoor.example/x now')], {}, {}, ['broken-link a']],
    ['one without a scheme', [say('a', 'Go to www.quillmoor.example/x now')], {}, {}, ['broken-link a']],
    [
      'one that is whole',
      [say('a', 'Go to https://www.quillmoor.example/x, now. (https://quillmoor.example)')],
      {},
      {},
      []
    ],
    [
      'one to another host than all others',
      [
        say(
          'a',
          'https://quillmoor.example/1 https://quillmoor.example/2 https://quillmoor.example/3 https://quilmoor.example/4'
        )
      ],
      {},
      {},
      ['other-host a']
    ],
    [
      'one to a part of the same',
      [
        say(
          'a',
          'https://quillmoor.example/1 https://quillmoor.example/2 https://quillmoor.example/3 https://shop.quillmoor.example/4'
        )
      ],
      {},
      {},
      []
    ],

    ['no way to unsubscribe', [say('a', 'Hello', { unsubscribe: false })], {}, {}, ['no-unsubscribe a']],
    ['none in a ticket', [say('a', 'Hello', { unsubscribe: false, service: true })], {}, {}, []],

    ['texts nobody agreed to', [text('t')], { hours: DAY_HOURS }, { canBeTexted: 0 }, ['no-consent t']],
    ['texts somebody agreed to', [text('t')], { hours: DAY_HOURS }, { canBeTexted: 1 }, []],
    [
      'texts that are asked for here',
      [{ key: 'c', kind: 'consent', channel: 'sms', state: 'pending' }, text('t')],
      { hours: DAY_HOURS },
      { canBeTexted: 0 },
      []
    ],

    ['an answer nobody listens to', [say('a', 'Will you come? Answer this mail.')], {}, {}, ['reply-unheard a']],
    [
      'an answer that is listened to',
      [say('a', 'Will you come? Answer this mail.'), listen(replied('any'))],
      {},
      {},
      []
    ],
    ['STOP is heard by itself', [sms('t', 'Clear skies. Answer STOP to hear no more.')], { hours: DAY_HOURS }, {}, []],
    [
      'an answer that begins as an earlier one',
      [mail('a'), listen(replied('no', ['no']), replied('polite', ['no thanks']))],
      {},
      {},
      ['overlapping-answers l']
    ],
    ['the longer first', [mail('a'), listen(replied('polite', ['no thanks']), replied('no', ['no']))], {}, {}, []],
    [
      'any answer before another',
      [mail('a'), listen(replied('any'), replied('yes', ['yes']))],
      {},
      {},
      ['overlapping-answers l']
    ],

    [
      'handed over to a draft',
      [{ key: 'h', kind: 'handover', journey: 'two' }],
      {},
      live(byHand('two', [mail('a')]), false),
      ['handed-nowhere h']
    ],
    [
      'handed over to a live one',
      [{ key: 'h', kind: 'handover', journey: 'two' }],
      {},
      live(byHand('two', [mail('a')])),
      []
    ],
    [
      'a circle of tags',
      [put('two')],
      { entry: { on: [{ happening: 'tag_added', tag: 'in' }], again: 'again' } },
      live(
        journey([put('in')], { key: 'two', entry: { on: [{ happening: 'tag_added', tag: 'two' }], again: 'again' } })
      ),
      ['circle']
    ],
    [
      'a circle that people go round once',
      [put('two')],
      {},
      live(journey([put('in')], { key: 'two', entry: { on: [{ happening: 'tag_added', tag: 'two' }] } })),
      []
    ],
    ['two from one happening', [mail('a')], {}, live(journey([mail('b')], { key: 'two' })), ['two-from-one']],
    ['two of which one is a draft', [mail('a')], {}, live(journey([mail('b')], { key: 'two' }), false), []],

    [
      'a tag that nothing reads',
      [put('x')],
      {},
      live(journey([mail('b')], { key: 'two', entry: { on: [{ happening: 'tag_added', tag: 'y' }] } })),
      ['tag-unread put-x']
    ],
    [
      'a tag that another journey reads',
      [put('x')],
      {},
      live(journey([mail('b')], { key: 'two', entry: { on: [{ happening: 'tag_added', tag: 'x' }] } })),
      []
    ],
    ['a tag that nobody has', [mail('a')], {}, { ...live(byHand('two', [mail('b')])), tags: ['in'] }, ['tag-unset']],
    [
      'a tag that another journey puts on',
      [mail('a')],
      {},
      { ...live(byHand('two', [put('done')])), tags: ['in'] },
      []
    ],

    ['a loop without a limit', [mail('a'), wait('w'), { key: 'r', kind: 'loop', to: 'a' }], {}, {}, ['loop-forever r']],
    ['a loop without a pause', [mail('a'), { key: 'r', kind: 'loop', to: 'a', atMost: 2 }], {}, {}, ['loop-at-once r']],
    ['a loop with both', [mail('a'), wait('w'), { key: 'r', kind: 'loop', to: 'a', atMost: 2 }], {}, {}, []],

    ['a share of few', [split(1, 9)], {}, { enterMonthly: 500 }, ['small-share s']],
    ['a share of enough', [split(1, 9)], {}, { enterMonthly: 1000 }, []],

    [
      'one name twice',
      [{ ...mail('a'), name: 'Hello' } as Step, { ...mail('b'), name: 'hello' } as Step],
      {},
      {},
      ['same-name b']
    ],
    [
      'the same words twice',
      [
        say('a', 'Come to see the stars tonight', { subject: 'x' }),
        say('b', 'Come to see the stars tonight', { subject: 'x' })
      ],
      {},
      {},
      ['left-over b']
    ],
    [
      'an hour that becomes a weekend',
      [mail('a'), wait('w', 'PT2H'), mail('b')],
      { hours: { days: ['mon', 'tue', 'wed', 'thu', 'fri'], from: '10:00', to: '12:00' } },
      {},
      ['hours-make-days b']
    ],
    [
      'days that stay days',
      [mail('a'), wait('w', 'P2D'), mail('b')],
      { hours: { days: ['mon'], from: '10:00', to: '12:00' } },
      {},
      []
    ],
    ['a long subject', [{ ...mail('a'), subject: 'x'.repeat(71) } as Step], {}, {}, ['long-subject a']],
    [
      'a field nobody has',
      [branch('b', 'x', { field: 'vists', gt: 1 }, [], [])],
      {},
      { fields: ['visits'] },
      ['unknown-field']
    ],
    [
      'a field that a step sets',
      [{ key: 'f', kind: 'field', set: { vists: 1 } }, branch('b', 'x', { field: 'vists', gt: 1 }, [], [])],
      {},
      { fields: [] },
      []
    ]
  ])('%s', (_, lane, rest, around, expected) => expect(found(lane, rest, around)).toEqual(expected));
});

function three(first: object, second: object): Step {
  return {
    key: 'b',
    kind: 'branch',
    by: 'rules',
    lanes: [
      { label: 'one', when: first, lane: [] },
      { label: 'two', when: second, lane: [] }
    ],
    otherwise: { label: 'o', lane: [] }
  } as Step;
}
function split(a: number, b: number): Step {
  return {
    key: 's',
    kind: 'split',
    lanes: [
      { label: 'a', weight: a, lane: [] },
      { label: 'b', weight: b, lane: [] }
    ]
  };
}

it.each<[string, Step[], Partial<Journey>, Around]>([
  ['never-reached', [leave, mail('a')], {}, {}],
  [
    'nobody-leaves',
    [mail('a'), wait('w'), mail('b'), wait('v'), mail('c')],
    { goal: { when: { tag: 'done' }, leave: false } },
    {}
  ],
  [
    'date-past',
    [mail('a'), { key: 'w', kind: 'wait', until: { date: '2027-01-01' } }, mail('b')],
    {},
    { now: Date.UTC(2027, 2, 1) }
  ],
  ['no-unsubscribe', [say('a', 'Hello', { unsubscribe: false })], {}, {}],
  ['loop-forever', [mail('a'), wait('w'), { key: 'r', kind: 'loop', to: 'a' }], {}, {}]
])('the edit that %s offers mends it', (check, lane, rest, around) => {
  const draft = journey(lane, { ...GOAL, ...rest });
  const [first, ...others] = findingsOf(draft, around);
  expect([first?.check, others]).toEqual([check, []]);
  expect(findingsOf(applyEdit(draft, first!.fix!.edit).document, around)).toEqual([]);
});

it('many journeys that set each other off, and none of them this one, are soon looked through', () => {
  // Layer by layer, each to all of the next: more ways than could ever be followed one by one.
  const layers = Array.from({ length: 12 }, (_, i) => [`l${i}-0`, `l${i}-1`, `l${i}-2`, `l${i}-3`, `l${i}-4`]);
  const journeys = layers.flatMap((keys, i) =>
    keys.map((key) => ({
      key,
      name: key,
      live: true,
      document: journey(
        (layers[i + 1] ?? []).map((next): Step => ({ key: `to-${next}`, kind: 'handover', journey: next, stay: true })),
        { key, entry: { again: 'again' } }
      )
    }))
  );
  const first = journey(
    layers[0]!.map((next): Step => ({ key: `to-${next}`, kind: 'handover', journey: next, stay: true })),
    { ...GOAL, entry: { on: [{ happening: 'tag_added', tag: 'in' }], again: 'again' } }
  );
  expect(findingsOf(first, { journeys }).filter((f) => f.check === 'circle')).toEqual([]);
});

it('a text of several parts says what that costs, as far as it is known', () => {
  const draft = journey([sms('t', 'x'.repeat(161))], { ...GOAL, hours: DAY_HOURS });
  const said = (around: Around): string | undefined =>
    findingsOf(draft, around).find((f) => f.check === 'several-parts')?.text;
  const priced = settings({ textPart: { amount: 0.04, currency: 'EUR' } });
  expect(said({})).toBe('This text takes 2 parts for everyone it goes to, and each is paid for.');
  expect(said({ settings: priced })).toContain('paid for. 0.04 EUR more a person.');
  expect(said({ enterMonthly: 150 })).toContain('For the 150 who enter in a month that is up to 150 parts more.');
  expect(said({ settings: priced, enterMonthly: 150 })).toContain('that is up to 6.00 EUR more.');
});
