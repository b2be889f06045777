/** What journeys share: segments, ladders with their rungs, score models with decay and caps. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  byHand,
  did,
  enters,
  happens,
  HOUR,
  journey,
  mail,
  MONDAY,
  put,
  reachable,
  run,
  sets,
  settings,
  story,
  tagged,
  wait
} from '../../tests/make.ts';
import { settingsProblems } from '../journey/references.ts';
import { parseSettings } from '../journey/parse.ts';
import { newPerson, type PersonState } from '../person/state.ts';
import type { Settings } from './schema.ts';
import { beginDecay, changeScore, scoreHappening, scoreNow } from '../engagement/scores.ts';
import { compileSettings } from './workspace.ts';

const DAY = 24 * HOUR;
const look = (at: number) => ({ after: at, input: { kind: 'set' as const, addTags: ['look'] } });
/** A journey that tells what a condition says at an instant. */
const watch = (when: object) =>
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
      key: 'watch',
      entry: { on: [{ happening: 'tag_added', tag: 'look' }], again: 'again' }
    }
  );

describe('segments', () => {
  const shared = settings({ segments: [{ name: 'keen', when: { all: [{ tag: 'a' }, { tag: 'b' }] } }] });
  const enteredBy = (name: string) =>
    byHand('seg', [put('x')], {
      entry: { on: [{ happening: name as 'segment_joined', segment: 'keen' }], again: 'again' }
    });
  it('are joined and left with the happening that made it so', () => {
    const said = [tagged('a'), { ...tagged('b'), after: HOUR }, sets(2 * HOUR, { removeTags: ['a'] })];
    expect(story(run(enteredBy('segment_joined'), said, reachable(), 60, shared), 'seg')[0]).toBe('+1h entered');
    expect(story(run(enteredBy('segment_left'), said, reachable(), 60, shared), 'seg')[0]).toBe('+2h entered');
  });
  it('that hold at the start are joined silently', () => {
    const has = reachable('p1', (p) => (p.tags.add('a'), p.tags.add('b')));
    expect(run(enteredBy('segment_joined'), [happens('page_seen', HOUR, { url: '/' })], has, 60, shared)).toEqual([]);
    const same = reachable('p1', (p) => (p.tags.add('a'), p.tags.add('b')));
    expect(story(run(watch({ segment: 'keen' }), [look(HOUR)], same, 60, shared), 'watch')).toContain('+1h took b yes');
  });
  it('that hang on the clock are looked at once a day, at 00:00 of the settings’ zone', () => {
    const recent: Settings = settings({
      zone: 'America/New_York',
      segments: [{ name: 'keen', when: { field: 'visit', last: 'P2D' } }]
    });
    const visited = reachable('p1', (p) => p.fields.set('visit', '2027-03-03'));
    const lines = run(
      [enteredBy('segment_joined'), { ...enteredBy('segment_left'), key: 'gone' }],
      [],
      visited,
      60,
      recent
    );
    expect(lines.filter((l) => l['what'] === 'entered').map((l) => [l['journey'], l.at])).toEqual([
      ['seg', '2027-03-03T05:00:00.000Z'],
      ['gone', '2027-03-06T05:00:00.000Z']
    ]);
  });
  it('may ask about other segments, looked at in their order', () => {
    const both = settings({
      segments: [
        { name: 'a', when: { tag: 'a' } },
        { name: 'keen', when: { segment: 'a' } }
      ]
    });
    expect(story(run(enteredBy('segment_joined'), [tagged('a')], reachable(), 60, both), 'seg')[0]).toBe('+0 entered');
  });
});

describe('ladders', () => {
  const shared = settings({
    ladders: [
      {
        name: 'warmth',
        counts: [{ happening: 'opened' }, { happening: 'clicked' }],
        rungs: [
          { name: 'hot', upTo: 'P7D' },
          { name: 'warm', upTo: 'P30D' }
        ],
        after: 'cold'
      }
    ]
  });
  const hears = byHand('rung', [put('x')], {
    entry: { on: [{ happening: 'rung_changed', ladder: 'warmth' }], again: 'each' }
  });
  const opens = (after: number, more: object = {}) => happens('opened', after, { channel: 'email', ...more });
  const at = (said: Parameters<typeof run>[1]) =>
    run(hears, said, reachable(), 90, shared)
      .filter((l) => l['what'] === 'entered')
      .map((l) => l.at);

  it('move at the very instants, from the first step on', () => {
    expect(at([opens(HOUR)])).toEqual([
      '2027-03-01T10:00:00.000Z',
      '2027-03-08T10:00:00.000Z',
      '2027-03-31T10:00:00.000Z'
    ]);
  });
  it('count anew with each happening that counts; a machine’s do not', () => {
    expect(at([opens(HOUR), opens(5 * DAY)])).toEqual([
      '2027-03-01T10:00:00.000Z',
      '2027-03-13T09:00:00.000Z',
      '2027-04-05T09:00:00.000Z'
    ]);
    expect(at([opens(HOUR, { machine: true })])).toEqual([]);
    expect(at([happens('replied', HOUR, { channel: 'email' })])).toEqual([]);
  });
  it('up again is a change as well', () => expect(at([opens(HOUR), opens(10 * DAY)]).length).toBe(5));
  it.each<[number, object, string]>([
    [0, { rung: 'hot' }, 'no'],
    [2 * HOUR, { rung: 'hot' }, 'yes'],
    [7 * DAY + HOUR - 1, { rung: 'hot' }, 'yes'],
    [7 * DAY + HOUR, { rung: 'hot' }, 'no'],
    [7 * DAY + HOUR, { rung: 'warm', ladder: 'warmth' }, 'yes'],
    [7 * DAY + HOUR, { rung: ['hot', 'warm'] }, 'yes'],
    [40 * DAY, { rung: 'cold' }, 'yes'],
    [40 * DAY, { rung: 'cold', ladder: 'other' }, 'no']
  ])('after %d ms: %j is %s; who never did has no rung', (after, when, expected) => {
    const said = after === 0 ? [look(0)] : [opens(HOUR), look(after)];
    expect(story(run(watch(when), said, reachable(), 90, shared), 'watch').find((l) => l.includes('took'))).toContain(
      `took b ${expected}`
    );
  });
  it.each([
    [{ to: 'warm' }, 1],
    [{ from: 'hot' }, 1],
    [{ to: 'cold', from: 'warm' }, 1],
    [{ to: 'hot' }, 1],
    [{ to: 'hot', from: 'cold' }, 0]
  ])('%j is met %d times', (filter, n) => {
    const j = byHand('rung', [put('x')], { entry: { on: [{ happening: 'rung_changed', ...filter }], again: 'each' } });
    expect(run(j, [opens(HOUR)], reachable(), 90, shared).filter((l) => l['what'] === 'entered').length).toBe(n);
  });
  it('months are civil, in the person’s zone', () => {
    const monthly = settings({
      ladders: [
        { name: 'warmth', counts: [{ happening: 'opened' }], rungs: [{ name: 'hot', upTo: 'P1M' }], after: 'cold' }
      ]
    });
    const dublin = reachable('p1', (p) => p.fields.set('zone', 'Europe/Dublin'));
    const lines = run(hears, [opens(0)], dublin, 90, monthly).filter((l) => l['what'] === 'entered');
    expect(lines.map((l) => l.at)).toEqual(['2027-03-01T09:00:00.000Z', '2027-04-01T08:00:00.000Z']);
  });
});

describe('score models', () => {
  const model = (more: object): Settings =>
    settings({ scores: [{ name: 'interest', rules: [{ when: { happening: 'opened' }, add: 10 }], ...more }] });
  const person = (points?: number): PersonState => {
    const p = newPerson('p1');
    if (points !== undefined) p.scores.set('interest', points);
    return p;
  };
  const opened = (w: ReturnType<typeof compileSettings>, p: PersonState, when: number) =>
    scoreHappening(w, p, { name: 'opened', at: when }, when);

  it('rules add up; a machine’s opens score nothing', () => {
    const w = compileSettings(model({}));
    const p = person();
    opened(w, p, MONDAY);
    scoreHappening(w, p, { name: 'opened', at: MONDAY, machine: true }, MONDAY);
    scoreHappening(w, p, { name: 'clicked', at: MONDAY }, MONDAY);
    expect(scoreNow(w, p, 'interest', MONDAY)).toBe(10);
  });
  it('a rule at its cap adds what is left, until its window ends: exclusively', () => {
    const w = compileSettings(
      model({ rules: [{ when: { happening: 'opened' }, add: 10, atMost: { points: 25, per: 'P1D' } }] })
    );
    const p = person();
    const after = (ms: number) => (opened(w, p, MONDAY + ms), scoreNow(w, p, 'interest', MONDAY + ms));
    expect([after(0), after(HOUR), after(2 * HOUR), after(3 * HOUR)]).toEqual([10, 20, 25, 25]);
    expect([after(DAY - 1), after(DAY)]).toEqual([25, 35]);
  });
  it.each<[object, number, number[]]>([
    [{ decay: { by: 3, every: 'P1D' } }, 10, [10, 7, 4, 1, 0, 0]],
    [{ decay: { by: 'half', every: 'P1D' } }, 11, [11, 5, 2, 1, 0, 0]],
    [{ decay: { by: 'half', every: 'P1D' } }, -11, [-11, -5, -2, -1, 0, 0]],
    [{ decay: { by: 4, every: 'P1D' } }, -6, [-6, -2, 0, 0, 0, 0]],
    [{ decay: { by: 3, every: 'P1D' }, floor: 5 }, 10, [10, 7, 5, 5, 5, 5]]
  ])('%j takes %d down day by day, towards 0', (more, from, expected) => {
    const w = compileSettings(model(more));
    const p = person(from);
    beginDecay(w, p, MONDAY);
    expect(expected.map((_, day) => scoreNow(w, p, 'interest', MONDAY + day * DAY))).toEqual(expected);
    // Asked once at the end it is the same as asked every day.
    const late = person(from);
    beginDecay(w, late, MONDAY);
    expect(scoreNow(w, late, 'interest', MONDAY + 5 * DAY)).toBe(expected[5]);
  });
  it('is counted from the last rise, to the very instant', () => {
    const w = compileSettings(model({ decay: { by: 1, every: 'P1D' } }));
    const p = person();
    opened(w, p, MONDAY);
    opened(w, p, MONDAY + 12 * HOUR);
    expect(scoreNow(w, p, 'interest', MONDAY + 36 * HOUR - 1)).toBe(20);
    expect(scoreNow(w, p, 'interest', MONDAY + 36 * HOUR)).toBe(19);
    // Points taken off restart nothing.
    changeScore(w, p, 'interest', { add: -5 }, MONDAY + 40 * HOUR);
    expect(scoreNow(w, p, 'interest', MONDAY + 60 * HOUR)).toBe(13);
  });
  it('floor and ceiling hold for steps too; a rise that a ceiling stops restarts nothing', () => {
    const w = compileSettings(model({ floor: 0, ceiling: 15, decay: { by: 1, every: 'P1D' } }));
    const p = person();
    expect(changeScore(w, p, 'interest', { add: -5 }, MONDAY).points).toBe(0);
    expect(changeScore(w, p, 'interest', { set: 99 }, MONDAY).points).toBe(15);
    opened(w, p, MONDAY + 12 * HOUR);
    expect(scoreNow(w, p, 'interest', MONDAY + DAY)).toBe(14);
  });
  it('score_reached: passed from below, by a step or a rule, in one leap or several; decay reaches nothing', () => {
    const hears = byHand('reached', [put('x')], {
      entry: { on: [{ happening: 'score_reached', score: 'interest', points: 20 }], again: 'each' }
    });
    const n = (said: Parameters<typeof run>[1], start = 0, more: object = {}) =>
      run(
        [
          hears,
          byHand('add', [{ key: 's', kind: 'score', score: 'interest', add: 30 }], { entry: { again: 'again' } })
        ],
        said,
        reachable('p1', (p) => p.scores.set('interest', start)),
        60,
        model(more)
      ).filter((l) => l['journey'] === 'reached' && l['what'] === 'entered').length;
    const open = (after: number) => happens('opened', after, { channel: 'email' });
    expect(n([open(HOUR)])).toBe(0);
    expect(n([open(HOUR), open(2 * HOUR)])).toBe(1);
    expect(n([open(HOUR), open(2 * HOUR), open(3 * HOUR)])).toBe(1);
    expect(n([enters('add', HOUR)])).toBe(1);
    expect(n([enters('add', HOUR), enters('add', 2 * HOUR)])).toBe(1);
    expect(n([open(HOUR)], 20)).toBe(0);
    expect(n([], -50, { decay: { by: 1, every: 'P1D' } })).toBe(0);
    // Down and up again is passing it again.
    expect(n([open(HOUR), open(12 * DAY), open(12 * DAY + HOUR)], 10, { decay: { by: 2, every: 'P1D' } })).toBe(2);
  });
  it('decay asked at random instants is decay asked at the end', () => {
    const w = compileSettings(model({ decay: { by: 'half', every: 'PT7H' } }));
    fc.assert(
      fc.property(
        fc.integer({ min: -500, max: 500 }),
        fc.array(fc.integer({ min: 0, max: 90 * HOUR }), { maxLength: 12 }),
        (from, asks) => {
          const [often, once] = [person(from), person(from)];
          beginDecay(w, often, MONDAY);
          beginDecay(w, once, MONDAY);
          for (const ask of [...asks].sort((a, b) => a - b)) scoreNow(w, often, 'interest', MONDAY + ask);
          expect(scoreNow(w, often, 'interest', MONDAY + 91 * HOUR)).toBe(
            scoreNow(w, once, 'interest', MONDAY + 91 * HOUR)
          );
        }
      )
    );
  });
});

describe('settings that are wrong', () => {
  const read = (more: object) => {
    const { problems } = parseSettings(JSON.stringify({ format: 'ambulo.settings/1', ...more }));
    return problems.map((p) => `${p.path}: ${p.message}`);
  };
  it.each<[object, RegExp]>([
    [{ zone: 'Moor/Quill' }, /zone: found "Moor\/Quill", expected a time zone/],
    [{ colours: [] }, /colours: found the key "colours"/],
    [{ fields: [{ name: 'a', type: 'words' }] }, /fields\[0\]\.type: found "words"/],
    [
      {
        fields: [
          { name: 'a', type: 'text' },
          { name: 'a', type: 'date' }
        ]
      },
      /fields\[1\]\.name: found "a" a second time/
    ],
    [
      { segments: [{ name: 's', when: { segment: 'none' } }] },
      /segments\[0\]\.when\.segment: found "none", expected a segment/
    ],
    [
      { segments: [{ name: 's', when: { did: 'opened', of: 'a' } }] },
      /segments\[0\]\.when\.of: found "of", expected none/
    ],
    [
      { fields: [{ name: 'n', type: 'number' }], segments: [{ name: 's', when: { field: 'n', contains: 'x' } }] },
      /segments\[0\]\.when\.contains: .*expected a comparison that fits/
    ],
    [{ limits: [{ atMost: 0, per: 'P1D' }] }, /limits\[0\]\.atMost: found 0/],
    [{ limits: [{ atMost: 1, per: 'a day' }] }, /limits\[0\]\.per: found "a day", expected a duration/],
    [{ hours: { fax: { from: '09:00', to: '10:00' } } }, /hours\.fax: found the key/],
    [
      {
        ladders: [
          {
            name: 'l',
            counts: [{ happening: 'opened' }],
            rungs: [
              { name: 'a', upTo: 'P2D' },
              { name: 'b', upTo: 'P1D' }
            ],
            after: 'c'
          }
        ]
      },
      /ladders\[0\]\.rungs: .*ascend/
    ],
    [
      {
        ladders: [
          {
            name: 'l',
            counts: [{ happening: 'opened' }],
            rungs: [
              { name: 'a', upTo: 'soon' },
              { name: 'b', upTo: 'P1D' }
            ],
            after: 'c'
          }
        ]
      },
      /^ladders\[0\]\.rungs\[0\]\.upTo: found "soon", expected a duration[^\n]*$/
    ],
    [
      {
        ladders: [
          { name: 'l', counts: [{ happening: 'opened', of: 'a' }], rungs: [{ name: 'a', upTo: 'P2D' }], after: 'c' }
        ]
      },
      /ladders\[0\]\.counts\[0\]: .*without "of"/
    ],
    [
      { scores: [{ name: 's', rules: [{ when: { happening: 'purchased', same: true }, add: 1 }] }] },
      /scores\[0\]\.rules\[0\]\.when: .*without "of" and "same"/
    ],
    [{ scores: [{ name: 's', rules: [], floor: 5, ceiling: 1 }] }, /scores\[0\]\.floor: found 5/],
    [{ scores: [{ name: 's', rules: [], decay: { by: 'third', every: 'P1D' } }] }, /scores\[0\]\.decay\.by/]
  ])('%j', (more, expected) => expect(read(more).join('\n')).toMatch(expected));
  it('are all named at once', () => expect(read({ zone: 'x', limits: [{ atMost: 0, per: 'y' }] }).length).toBe(3));
  it('also what a broken part hides, but not what only seems to be gone with it', () => {
    const found = read({
      fields: [{ name: 'n', type: 'number' }],
      segments: [
        { name: 'broken', when: { tag: 3 } },
        { name: 'names it', when: { segment: 'broken' } },
        { name: 'names nothing', when: { segment: 'gone' } },
        { name: 'asks a number for words', when: { field: 'n', contains: 'x' } }
      ]
    });
    expect(found).toEqual([
      expect.stringMatching(/^segments\[0\]\.when/),
      expect.stringMatching(/^segments\[2\]\.when\.segment: found "gone"/),
      expect.stringMatching(/^segments\[3\]\.when\.contains/)
    ]);
  });
  it('right ones are read', () => expect(settingsProblems(settings({ zone: 'Europe/Dublin' }), new Map())).toEqual([]));
});

it('everything shared works together: points make a segment, a segment a journey, that a rung', () => {
  const shared = settings({
    scores: [{ name: 'interest', rules: [{ when: { happening: 'clicked' }, add: 10 }] }],
    segments: [{ name: 'keen', when: { score: 'interest', gte: 10 } }],
    ladders: [{ name: 'warmth', counts: [{ happening: 'sent' }], rungs: [{ name: 'hot', upTo: 'P1D' }], after: 'cold' }]
  });
  const first = journey([mail('a'), wait('w')]);
  const second = byHand('keen', [mail('b')], { entry: { on: [{ happening: 'segment_joined', segment: 'keen' }] } });
  const third = byHand('cold', [put('c')], { entry: { on: [{ happening: 'rung_changed', to: 'cold' }] } });
  expect(
    story(run([first, second, third], [tagged('in'), did('clicked', 'a', HOUR)], reachable(), 60, shared))
  ).toEqual([
    '+0 entered',
    '+0 sent a',
    '+0 waiting w',
    '+1h keen: entered',
    '+1h keen: sent b',
    '+1h keen: left finished',
    '+1d left finished',
    '+25h cold: entered',
    '+25h cold: tagged put-c',
    '+25h cold: left finished'
  ]);
});
