import { describe, expect, it } from 'vitest';
import { parseJourney } from './parse.ts';

const whole = (rest: object): string =>
  JSON.stringify({ format: 'ambulo.journey/1', key: 'try', lane: [], ...rest }, null, 1);
const problems = (text: string): string[] =>
  parseJourney(text).problems.map((p) => `${p.line}: ${p.path}: ${p.message}`);

describe('what is refused, with its line and path', () => {
  it.each<[string, object, RegExp]>([
    ['an unknown key', { colour: 'red' }, /^5: colour: found the key "colour"/],
    [
      'an unknown key of a step',
      { lane: [{ key: 'a', kind: 'wait', for: 'P1D', untill: '09:00' }] },
      /lane\[0\]\.untill: found the key "untill"/
    ],
    [
      'a step kind that is not there',
      { lane: [{ key: 'a', kind: 'teleport' }] },
      /lane\[0\]\.kind: found "teleport", expected a kind that is known here: email, sms/
    ],
    [
      'a step kind that is not known',
      { lane: [{ key: 'a', kind: 'fly' }] },
      /lane\[0\]\.kind: found "fly", expected a kind that is known here: email, sms/
    ],
    [
      'a bad duration',
      { lane: [{ key: 'a', kind: 'wait', for: '2 days' }] },
      /lane\[0\]\.for: found "2 days", expected a duration above zero/
    ],
    ['a duration of nothing', { idle: 'P0D' }, /idle: found "P0D"/],
    ['a bad zone', { zone: 'Moor/Quill' }, /zone: found "Moor\/Quill", expected a time zone name/],
    ['a wrong type', { name: 3 }, /name: found 3, expected a text/],
    [
      'a bad key',
      { lane: [{ key: 'A B', kind: 'email' }] },
      /lane\[0\]\.key: found "A B", expected 1 to 60 lower-case/
    ],
    [
      'a condition with an unknown key',
      { entry: { where: { tag: 'x', last: 'P1D' } } },
      /entry\.where\.last: found the key "last"/
    ],
    [
      'a condition that is none',
      { entry: { where: { tagg: 'x' } } },
      /entry\.where: found \{"tagg":"x"\}, expected a condition/
    ],
    [
      'a comparison that is not known',
      { entry: { where: { field: 'age', is: 3, above: 3 } } },
      /entry\.where\.above: found the key "above"/
    ],
    ['a field without a comparison', { entry: { where: { field: 'age' } } }, /entry\.where: .*expected a comparison/],
    [
      'a happening that is not known',
      { entry: { on: [{ happening: 'page_left' }] } },
      /entry\.on\[0\]\.happening: found "page_left"/
    ],
    [
      'entering in a way that is not known',
      { entry: { again: 'often' } },
      /entry\.again: found "often", expected "once" or/
    ],
    [
      'existing people of no tag',
      { entry: { on: [], existing: true } },
      /entry\.existing: found true, expected "on" to name a tag/
    ],
    [
      'two steps of one key',
      {
        lane: [
          { key: 'a', kind: 'email' },
          { key: 'a', kind: 'sms' }
        ]
      },
      /lane\[1\]\.key: found "a" a second time/
    ],
    [
      'a message that is not there',
      { goal: { when: { did: 'opened', of: 'b' } } },
      /goal\.when\.of: found "b", expected the key of an email or sms step/
    ],
    [
      'a step that is no message',
      { lane: [{ key: 'w', kind: 'wait', for: 'P1D' }], goal: { when: { happening: 'clicked', of: 'w' } } },
      /goal\.when\.of: found "w"/
    ],
    ['a note at no step', { notes: [{ at: 'b', text: 'x' }] }, /notes\[0\]\.at: found "b"/],
    [
      'a tag both put on and taken off',
      { lane: [{ key: 'a', kind: 'tag', add: ['x'], remove: ['x'] }] },
      /lane\[0\]: .*expected no tag in both/
    ]
  ])('%s', (_, rest, expected) => {
    const found = problems(whole(rest));
    expect(found).toHaveLength(1);
    expect(found[0]).toMatch(expected);
  });

  it('all of them at once', () => {
    expect(
      problems(
        whole({
          zone: 'x',
          idle: 'y',
          lane: [
            { key: 'a', kind: 'wait', for: '' },
            { key: 'b', kind: 'jump' }
          ]
        })
      )
    ).toHaveLength(4);
  });

  it('inside a lane of a lane', () => {
    const branch = {
      key: 'b',
      kind: 'branch',
      by: 'rules',
      lanes: [{ label: 'x', when: { tag: 't' }, lane: [{ key: 'w', kind: 'wait', for: 'soon' }] }],
      otherwise: { label: 'y', lane: [] }
    };
    const found = problems(whole({ lane: [branch] }));
    expect(found).toEqual([expect.stringContaining('lane[0].lanes[0].lane[0].for: found "soon"')]);
  });

  const lanes = (...labels: string[]) => labels.map((label) => ({ label, lane: [] }));
  it.each<[string, object, string[]]>([
    [
      'a wait for both, and an unknown key',
      { kind: 'wait', for: 'P1D', until: { time: '09:00' }, x: 1 },
      ['x', 'exactly one of "for" and "until"']
    ],
    ['a wait for neither, and a note that is no text', { kind: 'wait', note: 3 }, ['note', 'exactly one']],
    [
      'bands of too few lanes, and no key',
      { key: undefined, kind: 'branch', by: 'bands', of: { score: 's' }, cuts: [1, 2], lanes: lanes('low', 'high') },
      ['key', 'one more lane than cuts']
    ],
    [
      'bands of a field without "none", and cuts that do not ascend',
      { kind: 'branch', by: 'bands', of: { field: 'f' }, cuts: [2, 1], lanes: lanes('a', 'b', 'c') },
      ['cuts', '"none" with a field']
    ],
    [
      'a split of no weight, with an unknown winner',
      { kind: 'split', lanes: lanes('a', 'b').map((l) => ({ ...l, weight: 0 })), winner: { by: 'luck' } },
      ['winner.by', 'a weight above 0']
    ],
    [
      'a tag on and off, and a name that is no text',
      { kind: 'tag', add: ['x'], remove: ['x'], name: 1 },
      ['name', 'no tag in both']
    ],
    [
      'points to add and to set, of a score of no name',
      { kind: 'score', add: 1, set: 2 },
      ['score', 'exactly one of "add"']
    ],
    [
      'a text of two sources, at hours that are none',
      { kind: 'sms', message: 'm', text: 't', hours: 'never' },
      ['hours', 'either "message" or "text"']
    ]
  ])('a step’s own rule is told beside its other faults: %s', (_, step, wanted) => {
    const found = problems(whole({ lane: [{ key: 'a', ...step }] }));
    for (const part of wanted) expect(found).toContainEqual(expect.stringContaining(part));
  });
  it('but not where what it reads is broken itself', () => {
    const found = problems(whole({ lane: [{ key: 'a', kind: 'branch', by: 'bands', of: 3, cuts: 'x', lanes: 1 }] }));
    expect(found.filter((p) => p.includes('expected one more') || p.includes('"none"'))).toEqual([]);
  });

  it('a key that stands twice in one object, beside all else', () => {
    const text = `{
  "format": "ambulo.journey/1", "key": "try", "idle": "long",
  "lane": [
    { "key": "a", "kind": "wait", "for": "P1D",
      "for": "P2D" }
  ]
}`;
    expect(problems(text)).toEqual([
      '5: lane[0].for: found the key "for" a second time, expected each once',
      expect.stringMatching(/^2: idle: found "long"/) as string
    ]);
  });

  it('text that is not JSON, with the line', () => {
    expect(problems('{\n  "format": "ambulo.journey/1",\n  "key": try\n}')[0]).toMatch(
      /^3: the document: found text that is not JSON/
    );
    expect(problems('')[0]).toMatch(/^1: the document/);
  });
});

it('accepts a byte order mark', () => expect(parseJourney('\uFEFF' + whole({})).journey).toMatchObject({ key: 'try' }));
