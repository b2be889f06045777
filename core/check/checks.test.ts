import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { branch, journey, mail, put, text, wait } from '../../tests/make.ts';
import { applyEdit } from '../edit/edit.ts';
import type { Journey } from '../journey/schema.ts';
import { STEP_KINDS, type Step } from '../steps/index.ts';
import { findingsOf } from './index.ts';

const checks = (lane: Step[], rest: Partial<Journey> = { goal: { when: { tag: 'done' } } }): string[] =>
  findingsOf(journey(lane, rest)).map((f) => `${f.severity} ${f.check}${f.step ? ` ${f.step}` : ''}`);
const opened = { did: 'opened' as const, of: 'a' };

describe('findings', () => {
  it.each<[string, Step[], Partial<Journey> | undefined, string[]]>([
    ['nothing to find', [mail('a')], undefined, []],
    ['no steps', [], undefined, ['blocker empty-journey']],
    ['no subject', [{ ...mail('a'), subject: '  ' } as Step], undefined, ['blocker empty-subject a']],
    [
      'no words',
      [{ key: 't', kind: 'sms', hours: 'any', text: '' } as Step],
      { hours: { from: '09:00', to: '18:00' }, goal: { when: { tag: 'x' } } },
      ['blocker empty-text t', 'remark text-at-night t']
    ],
    [
      'a broken personal field',
      [{ ...mail('a'), text: 'Hi {{ person.first_name' } as Step],
      undefined,
      ['blocker broken-personal-field a']
    ],
    [
      'an unknown filter',
      [{ ...mail('a'), text: '{{ person.first_name | shout }}' } as Step],
      undefined,
      ['blocker broken-personal-field a']
    ],
    ['no tag chosen', [{ key: 't', kind: 'tag', add: [] }], undefined, ['blocker unchosen t']],
    ['a lane that asks nothing', [branch('b', 'x', { tag: '' }, [], [])], undefined, ['blocker unchosen b']],
    [
      'asked the second after the send',
      [mail('a'), branch('b', 'x', opened, [], [])],
      undefined,
      ['remark asked-too-soon b']
    ],
    ['asked after a wait', [mail('a'), wait('w'), branch('b', 'x', opened, [], [])], undefined, []],
    [
      'asked inside a lane, the wait outside it',
      [mail('a'), wait('w'), branch('b', 'x', { tag: 't' }, [branch('c', 'y', opened, [], [])], [])],
      undefined,
      []
    ],
    [
      'asked after a listen',
      [
        mail('a'),
        {
          key: 'l',
          kind: 'listen',
          for: [{ label: 'x', when: { tag: 't' }, lane: [] }],
          limit: 'P1D',
          otherwise: { label: 'n', lane: [] }
        },
        branch('b', 'x', opened, [], [])
      ],
      undefined,
      []
    ],
    [
      'asked after a task that nobody waits for',
      [mail('a'), { key: 'k', kind: 'task', title: 'Call' }, branch('b', 'x', opened, [], [])],
      undefined,
      ['remark asked-too-soon b']
    ],
    [
      'asked behind the awaited task it asks about',
      [
        { key: 'k', kind: 'task', title: 'Call', await: { limit: 'P2D' } },
        branch('b', 'x', { did: 'task_done', of: 'k' }, [], [])
      ],
      undefined,
      []
    ],
    [
      'asked about a task that nobody waits for',
      [{ key: 'k', kind: 'task', title: 'Call' }, branch('b', 'x', { did: 'task_done', of: 'k' }, [], [])],
      undefined,
      ['remark asked-too-soon b']
    ],
    [
      'asked behind the rejoin about a message of a lane',
      [branch('c', 'y', { tag: 't' }, [mail('a')], []), wait('w'), branch('b', 'x', opened, [], [])],
      undefined,
      []
    ],
    [
      'asked at the rejoin about a message of a lane',
      [branch('c', 'y', { tag: 't' }, [mail('a')], []), branch('b', 'x', opened, [], [])],
      undefined,
      ['remark asked-too-soon b']
    ],
    [
      'asked in the other lane',
      [branch('c', 'y', { tag: 't' }, [mail('a')], [wait('w'), branch('b', 'x', opened, [], [])])],
      undefined,
      ['remark asked-elsewhere b']
    ],
    [
      'asked before it is sent, and a loop comes back',
      [wait('w'), branch('b', 'x', opened, [], []), mail('a'), { key: 'r', kind: 'loop', to: 'w', atMost: 2 }],
      undefined,
      []
    ],
    [
      'off, and unfinished',
      [{ ...mail('a'), subject: '', off: true } as Step, put('x')],
      undefined,
      ['remark turned-off a']
    ],
    [
      'asked about what is off',
      [{ ...mail('a'), off: true } as Step, wait('w'), branch('b', 'x', opened, [], [])],
      undefined,
      ['remark turned-off a', 'remark asked-elsewhere b']
    ],
    ...(['call', 'notify', 'list', 'field'] as const).map((kind): [string, Step[], undefined, string[]] => [
      `${kind} as it is put in`,
      [STEP_KINDS[kind].create('s') as Step],
      undefined,
      ['blocker unchosen s']
    ]),
    [
      'a lane that listens for no tag',
      [
        {
          key: 'l',
          kind: 'listen',
          for: [{ label: 'x', when: { happening: 'tag_added', tag: '' }, lane: [] }],
          limit: 'P1D',
          otherwise: { label: 'n', lane: [] }
        }
      ],
      undefined,
      ['blocker unchosen l']
    ],
    ['two lanes of one label', [branch('b', 'others', { tag: 't' }, [], [])], undefined, ['blocker same-label b']],
    ['a way in by date alone', [put('x')], { entry: { date: { on: '2027-05-01' } }, goal: { when: { tag: 'x' } } }, []],
    ['asked before it is sent', [branch('b', 'x', opened, [], []), mail('a')], undefined, ['remark asked-elsewhere b']],
    [
      'asked about what is gone',
      [branch('b', 'x', { did: 'opened', of: 'gone' }, [], [])],
      undefined,
      ['blocker missing-step b']
    ],
    [
      'asked about a step that is no message',
      [put('x'), branch('b', 'x', { did: 'opened', of: 'put-x' }, [], [])],
      undefined,
      ['blocker broken-reference b', 'remark asked-too-soon b']
    ],
    [
      'a goal about what is gone',
      [put('x')],
      { goal: { when: { happening: 'opened', of: 'gone' } } },
      ['blocker broken-reference']
    ],
    ['a text at any hour', [text('t')], undefined, ['remark text-at-night t']],
    ['no way in', [put('x')], { entry: { on: [] }, goal: { when: { tag: 'x' } } }, ['remark no-way-in']],
    ['no goal', [put('x')], {}, ['remark no-goal']],
    ['a goal that names nothing', [put('x')], { goal: { when: { tag: '' } } }, ['blocker unchosen']]
  ])('%s', (_, lane, rest, expected) => expect(checks(lane, rest)).toEqual(expected));
});

it.each<[string, Step[], Partial<Journey>]>([
  ['a question asked too soon', [mail('a'), branch('b', 'x', opened, [], [])], {}],
  [
    'one asked too soon inside a lane',
    [branch('c', 'y', { tag: 't' }, [mail('a'), branch('b', 'x', opened, [], [])], [])],
    {}
  ],
  [
    'a question about what is not there, inside another',
    [
      text('t'),
      mail('a'),
      wait('w'),
      branch('b', 'x', { any: [{ not: { did: 'opened', of: 'gone' } }, { tag: 'y' }] }, [], [])
    ],
    { hours: { from: '09:00', to: '18:00' } }
  ],
  ['a text at night', [text('t')], {}],
  [
    'a text at any hour in a journey that has hours',
    [{ ...text('t'), hours: 'any' } as Step],
    { hours: { from: '10:00', to: '16:00' } }
  ]
])('the edit that a finding offers mends it: %s', (_, lane, rest) => {
  const draft = journey(lane, { goal: { when: { tag: 'done' } }, ...rest });
  const [found, ...others] = findingsOf(draft);
  expect(others).toEqual([]);
  expect(findingsOf(applyEdit(draft, found!.fix!.edit).document)).toEqual([]);
});

it('a message written elsewhere needs no words here', () => {
  const steps: Step[] = [
    { key: 'a', kind: 'email', message: 'welcome' },
    { key: 'b', kind: 'sms', message: 'hello', hours: { from: '09:00', to: '18:00' } },
    { key: 'c', kind: 'email', subject: 'x', blocks: [{ kind: 'words' }] }
  ];
  expect(checks(steps)).toEqual([]);
});

it('the demo’s live journeys have none', () => {
  for (const name of ['after-the-first-visit', 'membership-runs-out']) {
    expect(findingsOf(JSON.parse(readFileSync(`demo/journeys/${name}.journey.json`, 'utf8')) as Journey)).toEqual([]);
  }
});
