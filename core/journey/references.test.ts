/** What the schema cannot see, and that all of a file's problems are told at once, each at its place. */
import { describe, expect, it } from 'vitest';
import { byHand, settings } from '../../tests/make.ts';
import type { Settings } from '../settings/schema.ts';
import { compileSettings } from '../settings/workspace.ts';
import { checkJourney, parseJourney } from './parse.ts';
import { pathText } from './problems.ts';
import type { Context } from './references.ts';
import type { Journey } from './schema.ts';

const base = { format: 'ambulo.journey/1', key: 'try' };
const shared: Settings = settings({
  fields: [
    { name: 'n', type: 'number' },
    { name: 'day', type: 'date' },
    { name: 'likes', type: 'choices' }
  ],
  segments: [{ name: 'keen', when: { tag: 'a' } }],
  ladders: [
    { name: 'warmth', counts: [{ happening: 'opened' }], rungs: [{ name: 'hot', upTo: 'P1D' }], after: 'cold' }
  ],
  hours: { sms: { days: ['mon'], from: '09:00', to: '12:00' } }
});
const other: Journey = byHand('other', [
  { key: 'm', kind: 'email', subject: 's', text: 't' },
  { key: 't', kind: 'task', title: 'x' }
]);

function problems(rest: object, context: Context = {}): string[] {
  const document = { ...base, ...rest };
  const all: Context = {
    types: compileSettings(shared).types,
    settings: shared,
    journeys: new Map([
      ['try', document as Journey],
      ['other', other]
    ]),
    ...context
  };
  return checkJourney(document, all).problems.map((p) => `${pathText(p.path)}: ${p.message}`);
}

const ask = (when: object) => ({
  lane: [
    {
      key: 'b',
      kind: 'branch',
      by: 'rules',
      lanes: [{ label: 'x', when, lane: [] }],
      otherwise: { label: 'y', lane: [] }
    }
  ]
});
const lane = (...steps: object[]) => ({ lane: steps });
const sms = { key: 's', kind: 'sms', text: 'x' };

describe('found, each with its path', () => {
  it.each<[string, object, RegExp]>([
    [
      'a thread to a later message',
      lane({ key: 'a', kind: 'email', thread: 'b' }, { key: 'b', kind: 'email' }),
      /lane\[0\]\.thread: found "b", expected the key of an email that stands before/
    ],
    [
      'a thread to a later message of its own lane, inside a branch',
      lane({
        key: 'b',
        kind: 'branch',
        by: 'rules',
        lanes: [
          {
            label: 'x',
            when: { tag: 'a' },
            lane: [
              { key: 'a', kind: 'email', thread: 'z' },
              { key: 'z', kind: 'email' }
            ]
          }
        ],
        otherwise: { label: 'y', lane: [] }
      }),
      /lane\[0\]\.lanes\[0\]\.lane\[0\]\.thread: found "z"/
    ],
    ['a thread to itself', lane({ key: 'a', kind: 'email', thread: 'a' }), /lane\[0\]\.thread: found "a"/],
    [
      'a zone that is none, set by a step',
      lane({ key: 'f', kind: 'field', set: { zone: 'Mars/Olympus' } }),
      /lane\[0\]\.set\.zone: found "Mars\/Olympus", expected a time zone name/
    ],
    ['a thread to a text', lane(sms, { key: 'a', kind: 'email', thread: 's' }), /lane\[1\]\.thread: found "s"/],
    [
      'a loop forward',
      lane({ key: 'l', kind: 'loop', to: 'a' }, { key: 'a', kind: 'email' }),
      /lane\[0\]\.to: found "a", expected the key of an earlier step/
    ],
    ['a loop to itself', lane({ key: 'l', kind: 'loop', to: 'l' }), /lane\[0\]\.to: found "l"/],
    [
      'a loop into another lane',
      lane(
        {
          key: 'b',
          kind: 'branch',
          by: 'rules',
          lanes: [{ label: 'x', when: { tag: 't' }, lane: [{ key: 'in', kind: 'email' }] }],
          otherwise: { label: 'y', lane: [] }
        },
        { key: 'l', kind: 'loop', to: 'in' }
      ),
      /lane\[1\]\.to: found "in"/
    ],
    [
      'a hand-over to itself',
      lane({ key: 'h', kind: 'handover', journey: 'try' }),
      /lane\[0\]\.journey: found "try", expected another journey/
    ],
    [
      'a hand-over to nowhere',
      lane({ key: 'h', kind: 'handover', journey: 'none' }),
      /lane\[0\]\.journey: found "none", expected the key of a journey that was given/
    ],
    [
      'a withdrawal from nowhere',
      lane({ key: 'w', kind: 'withdraw', from: ['other', 'none'] }),
      /lane\[0\]\.from\[1\]: found "none"/
    ],
    ['walking nowhere', ask({ walking: 'none' }), /lane\[0\]\.lanes\[0\]\.when\.walking: found "none"/],
    [
      'a message of another journey that is not there',
      ask({ did: 'opened', of: 'x', journey: 'other' }),
      /when\.of: found "x", expected the key of an email or sms step of the journey "other"/
    ],
    [
      'a task that is a message',
      ask({ did: 'task_done', of: 'm', journey: 'other' }),
      /when\.of: found "m", expected the key of a task step/
    ],
    [
      'a journey that is not there',
      { entry: { on: [{ happening: 'left', journey: 'none' }] }, lane: [] },
      /entry\.on\[0\]\.journey: found "none"/
    ],
    [
      'a segment that is not there',
      ask({ not: { segment: 'lost' } }),
      /when\.not\.segment: found "lost", expected a segment of the settings/
    ],
    [
      'a rung that is not there',
      ask({ any: [{ tag: 'x' }, { rung: ['hot', 'tepid'] }] }),
      /when\.any\[1\]: found the rung "tepid"/
    ],
    ['a ladder that is not there', ask({ rung: 'hot', ladder: 'love' }), /when\.ladder: found "love"/],
    [
      'a comparison that does not fit',
      ask({ field: 'n', contains: 'x' }),
      /when\.contains: found "x", expected a comparison that fits a field of type number/
    ],
    [
      'a value of another type',
      ask({ field: 'day', is: 'soon' }),
      /when\.is: found "soon", expected a value of type date/
    ],
    [
      'a happening’s value of another type',
      { entry: { on: [{ happening: 'field_changed', field: 'n', to: 'x' }] }, lane: [] },
      /entry\.on\[0\]\.to: found "x"/
    ],
    [
      'a date that is a number',
      { entry: { date: { field: 'n' } }, lane: [] },
      /entry\.date\.field: found "n" of type number/
    ],
    [
      'waiting for what is no date',
      lane({ key: 'w', kind: 'wait', until: { field: 'likes' } }),
      /lane\[0\]\.until\.field: found "likes" of type choices/
    ],
    [
      'bands of a date',
      lane({
        key: 'b',
        kind: 'branch',
        by: 'bands',
        of: { field: 'day' },
        cuts: [1],
        lanes: [
          { label: 'a', lane: [] },
          { label: 'b', lane: [] }
        ],
        none: { label: 'c', lane: [] }
      }),
      /of\.field: found "day" of type date, expected a number/
    ],
    [
      'values of another type',
      lane({
        key: 'b',
        kind: 'branch',
        by: 'values',
        of: { field: 'n' },
        lanes: [{ label: 'a', values: [1, 'x'], lane: [] }],
        otherwise: { label: 'c', lane: [] }
      }),
      /lanes\[0\]\.values\[1\]: found "x"/
    ],
    [
      'a field set to another type',
      lane({ key: 'f', kind: 'field', set: { n: 'x', likes: { add: 1 }, day: { now: true } } }),
      /set\.n: found "x", expected a value of type number/
    ],
    [
      'hours that never open',
      lane({
        ...sms,
        hours: {
          from: '09:00',
          to: '09:30',
          except: Array.from({ length: 800 }, (_, i) => new Date(Date.UTC(2026, 0, 1 + i)).toISOString().slice(0, 10))
        }
      }),
      /lane\[0\]\.hours: .*expected hours that open on some day/
    ],
    [
      'hours that are never open together',
      lane({ ...sms, hours: { days: ['tue'], from: '09:00', to: '12:00' } }),
      /lane\[0\]\.hours: .*at which the settings' hours are open too/
    ],
    [
      'the journey’s hours that never meet the settings’',
      { hours: { days: ['tue'], from: '09:00', to: '12:00' }, ...lane(sms) },
      /lane\[0\]: .*are open too/
    ]
  ])('%s', (_, rest, expected) => expect(problems(rest).join('\n')).toMatch(expected));

  it('nothing of what is right', () => {
    expect(
      problems({
        ...lane(
          { key: 'a', kind: 'email', subject: 's' },
          {
            key: 'b',
            kind: 'listen',
            for: [
              {
                label: 'x',
                when: { happening: 'opened', of: 'a' },
                lane: [
                  { key: 'r', kind: 'email', thread: 'a' },
                  { key: 'l', kind: 'loop', to: 'a', atMost: 1 }
                ]
              }
            ],
            limit: 'P1D',
            otherwise: { label: 'y', lane: [] }
          },
          { key: 'c', kind: 'email', thread: 'r' },
          { key: 'h', kind: 'handover', journey: 'other' },
          { ...sms, hours: { days: ['mon'], from: '11:30', to: '20:00' } }
        ),
        leaveWhen: [{ when: { did: 'opened', of: 'm', journey: 'other' }, reason: 'x' }],
        goal: {
          when: { all: [{ segment: 'keen' }, { rung: 'cold' }, { field: 'unknown', gt: 3 }, { walking: 'other' }] }
        }
      })
    ).toEqual([]);
  });

  it('what is not known is not held against it: other journeys, settings, types', () => {
    const rest = { ...ask({ all: [{ segment: 'x' }, { walking: 'y' }, { field: 'n', contains: 'x' }] }) };
    expect(checkJourney({ ...base, ...rest }).problems).toEqual([]);
  });
});

describe('all at once', () => {
  it('what is broken does not hide what is broken behind it', () => {
    const found = problems({
      zone: 'Moor/Quill',
      colour: 'red',
      ...lane(
        { key: 'w', kind: 'wait', for: 'soon' },
        { key: 'a', kind: 'email' },
        { key: 'a', kind: 'sms' },
        { key: 'l', kind: 'loop', to: 'nowhere' },
        { key: 'h', kind: 'handover', journey: 'none' }
      )
    });
    expect(found.map((f) => f.split(':')[0])).toEqual([
      'zone',
      'lane[0].for',
      'colour',
      'lane[2].key',
      'lane[3].to',
      'lane[4].journey'
    ]);
  });
  it('nor what a rule of the whole asks for, unless that was what is broken', () => {
    const found = problems({
      entry: { holdOut: 10, where: { is: 'x' }, on: [{ happening: 'opened', of: 'nope' }] },
      lane: []
    });
    expect(found.map((f) => f.split(':')[0])).toEqual(['entry.where.field', 'entry.holdOut', 'entry.on[0].of']);
    const goal = problems({ entry: { holdOut: 10 }, goal: { when: { tag: 'x' }, within: 'soon' }, lane: [] });
    expect(goal.map((f) => f.split(':')[0])).toEqual(['goal.within']);
  });
  it('a condition that names no field', () => {
    expect(problems({ goal: { when: { field: '', gt: 3 } }, lane: [] })).toEqual([
      'goal.when.field: found "", expected the name of a field'
    ]);
    expect(problems({ goal: { when: { gt: 3 } }, lane: [] }).length).toBeGreaterThan(0);
  });
  it('a reference to a step that is itself broken is not reported as well', () => {
    const found = problems(
      lane(
        { key: 'a', kind: 'email', sobject: 'x' },
        {
          key: 'l',
          kind: 'listen',
          for: [{ label: 'x', when: { happening: 'opened', of: 'a' }, lane: [] }],
          limit: 'P1D',
          otherwise: { label: 'y', lane: [] }
        }
      )
    );
    expect(found).toEqual(['lane[0].sobject: found the key "sobject", which is not known here']);
  });
  it('with the line of each', () => {
    const text =
      '{ "format": "ambulo.journey/1", "key": "try",\n"lane": [\n{ "key": "a", "kind": "email" },\n{ "key": "a", "kind": "wait", "for": "P1D" },\n{ "key": "b", "kind": "loop", "to": "c" }\n] }';
    expect(parseJourney(text).problems.map((p) => `${p.line} ${p.path}`)).toEqual(['4 lane[1].key', '5 lane[2].to']);
  });
  it('of no object at all, of no lane, of a lane of nonsense', () => {
    for (const document of [
      null,
      3,
      'x',
      [],
      {},
      { ...base },
      { ...base, lane: 3 },
      { ...base, lane: [null] },
      { ...base, lane: [{}] },
      { ...base, lane: [[[]]] },
      { ...base, lane: [{ key: 'b', kind: 'branch', by: 'rules', lanes: 'x' }] }
    ]) {
      const { problems: found } = checkJourney(document);
      expect(found.length, JSON.stringify(document)).toBeGreaterThan(0);
      for (const p of found) expect(p.message).toMatch(/^found .*(expected|known)/s);
    }
  });
});
