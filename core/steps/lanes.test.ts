/** Branches by rules, bands and values; splits by chance and with a winner. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  byHand,
  did,
  happens,
  HOUR,
  journey,
  mail,
  MONDAY,
  put,
  reachable,
  run,
  settings,
  short,
  tagged,
  wait
} from '../../tests/make.ts';
import { replay } from '../replay/replay.ts';
import type { TimedInput } from '../replay/happenings.ts';
import type { PersonState } from '../person/state.ts';
import { chance } from '../walk/chance.ts';
import { branchSchema, type BranchStep } from './branch.ts';
import type { Step } from './index.ts';
import { laneByWeight, splitSchema } from './split.ts';

const lanes = (...labels: string[]) => labels.map((label) => ({ label, lane: [] }));
const took = (
  step: Step,
  change: (p: PersonState) => unknown = () => undefined,
  said: Parameters<typeof run>[1] = [],
  shared = settings({})
) =>
  short(
    run(
      journey([step]),
      [...said, tagged('in')],
      reachable('p1', (p) => void change(p)),
      60,
      shared
    )
  )
    .find((l) => l.startsWith('took'))
    ?.replace('took b ', '');

describe('bands', () => {
  const bands = (of: object, more: object = {}): Step =>
    ({
      key: 'b',
      kind: 'branch',
      by: 'bands',
      of,
      cuts: [5, 10],
      lanes: lanes('low', 'middle', 'high'),
      ...more
    }) as Step;
  it.each([
    [4.9, 'low'],
    [5, 'middle'],
    [9.99, 'middle'],
    [10, 'high'],
    [-3, 'low'],
    [undefined, 'none']
  ])('a field of %s is %s', (value, expected) => {
    const step = bands({ field: 'visits' }, { none: { label: 'none', lane: [] } });
    expect(took(step, (p) => value !== undefined && p.fields.set('visits', value))).toBe(expected);
  });
  it.each([
    [undefined, 'low'],
    [5, 'middle'],
    [12, 'high']
  ])('a score of %s is %s; no points are 0', (points, expected) =>
    expect(took(bands({ score: 'interest' }), (p) => points !== undefined && p.scores.set('interest', points))).toBe(
      expected
    )
  );
  it('what they spent, exactly, of one product, lately', () => {
    const buys = (after: number, amount: number | string, sku = 'mug') =>
      happens('purchased', after, { order: `o${after}`, amount, items: [{ sku, price: amount, quantity: 1 }] });
    const spent = (of: object, said: Parameters<typeof run>[1]) =>
      took(bands({ spent: true, ...of }), () => undefined, said);
    expect(spent({}, [])).toBe('low');
    expect(spent({}, [buys(-HOUR, '4.9999')])).toBe('low');
    expect(spent({}, [buys(-HOUR, '4.9999'), buys(-2 * HOUR, '0.0001')])).toBe('middle');
    expect(spent({ product: 'mug' }, [buys(-HOUR, 7, 'mug'), buys(-2 * HOUR, 7, 'map')])).toBe('middle');
    expect(spent({}, [buys(-HOUR, 7, 'mug'), buys(-2 * HOUR, 7, 'map')])).toBe('high');
    expect(spent({ last: 'P1D' }, [buys(-24 * HOUR, 7)])).toBe('low');
    expect(spent({ last: 'P1D' }, [buys(-24 * HOUR + 1, 7)])).toBe('middle');
  });
  it('partition the numbers: every value is in exactly one band', () => {
    fc.assert(
      fc.property(
        fc.uniqueArray(fc.integer({ min: -50, max: 50 }), { minLength: 1, maxLength: 6 }),
        fc.integer({ min: -60, max: 60 }),
        (raw, value) => {
          const cuts = [...raw].sort((a, b) => a - b);
          const labels = Array.from({ length: cuts.length + 1 }, (_, i) => `l${i}`);
          const step = bands({ score: 'interest' }, { cuts, lanes: lanes(...labels) });
          const expected = cuts.filter((c) => c <= value).length;
          expect(took(step, (p) => p.scores.set('interest', value))).toBe(`l${expected}`);
        }
      ),
      { numRuns: 200 }
    );
  });
  it.each<[string, object]>([
    ['cuts that do not ascend', { cuts: [5, 5] }],
    ['lanes that are not one more than cuts', { lanes: lanes('low', 'high') }],
    ['"none" with a score', { none: { label: 'none', lane: [] } }]
  ])('refuses %s', (_, more) => expect(branchSchema.safeParse(bands({ score: 'interest' }, more)).success).toBe(false));
  it('refuses a field without "none"', () =>
    expect(branchSchema.safeParse(bands({ field: 'visits' })).success).toBe(false));
});

describe('values', () => {
  const values: BranchStep = {
    key: 'b',
    kind: 'branch',
    by: 'values',
    of: { field: 'town' },
    lanes: [
      { label: 'near', values: ['Quillmoor', 'Thornmere'], lane: [] },
      { label: 'three', values: [3], lane: [] },
      { label: 'yes', values: [true], lane: [] }
    ],
    otherwise: { label: 'far', lane: [] }
  };
  it.each<[unknown, string]>([
    ['Quillmoor', 'near'],
    ['thornmere', 'near'],
    ['Elsewhere', 'far'],
    [3, 'three'],
    ['3', 'far'],
    [true, 'yes'],
    [undefined, 'far'],
    [['planets', 'QUILLMOOR'], 'near'],
    [['planets'], 'far']
  ])('%j takes %s', (value, expected) =>
    expect(took(values, (p) => value !== undefined && p.fields.set('town', value as string))).toBe(expected)
  );
});

describe('chance', () => {
  it('is the published number for the published words', () =>
    expect(chance('first-visit', 'try', 'p2')).toBe(0.47359746298752725));
  it('never changes for a person, is even over many, and one step’s says nothing of another’s', () => {
    const draws = Array.from({ length: 20_000 }, (_, i) => chance('j', 's', `p${i}`));
    expect(draws.every((d) => d >= 0 && d < 1)).toBe(true);
    for (let tenth = 0; tenth < 10; tenth++) {
      const share = draws.filter((d) => Math.floor(d * 10) === tenth).length / draws.length;
      expect(Math.abs(share - 0.1)).toBeLessThan(0.01);
    }
    const both = draws.filter((d, i) => d < 0.5 && chance('j', 'other', `p${i}`) < 0.5).length / draws.length;
    expect(Math.abs(both - 0.25)).toBeLessThan(0.02);
    // Counted in bytes of UTF-8, not in letters.
    expect(chance('j', 's', 'é')).toBe(0.177817553980276);
  });
  it.each([
    [[50, 50], 0.4999, 0],
    [[50, 50], 0.5, 1],
    [[1, 1, 2], 0.25, 1],
    [[1, 1, 2], 0.5, 2],
    [[0, 1], 0, 1],
    [[1, 0], 0.99999, 0]
  ])('weights %j and a draw of %d take lane %d', (weights, draw, lane) =>
    expect(laneByWeight(weights, draw)).toBe(lane)
  );
  it('shares converge to the weights', () => {
    fc.assert(
      fc.property(
        fc.array(fc.integer({ min: 0, max: 9 }), { minLength: 2, maxLength: 5 }).filter((w) => w.some((x) => x > 0)),
        fc.string(),
        (weights, key) => {
          const total = weights.reduce((a, b) => a + b, 0);
          const counts = weights.map(() => 0);
          for (let i = 0; i < 4000; i++) counts[laneByWeight(weights, chance(key, 's', `p${i}`))]!++;
          weights.forEach((w, i) => expect(Math.abs(counts[i]! / 4000 - w / total)).toBeLessThan(0.05));
        }
      ),
      { numRuns: 25 }
    );
  });
});

describe('split', () => {
  const split = (more: object = {}): Step =>
    ({
      key: 'try',
      kind: 'split',
      lanes: [
        { label: 'one', weight: 50, lane: [mail('a')] },
        { label: 'two', weight: 50, lane: [mail('b')] }
      ],
      ...more
    }) as Step;
  const people = (n: number): PersonState[] => Array.from({ length: n }, (_, i) => reachable(`p${i + 1}`));
  const enter = (person: string, at: number, line: number): TimedInput => ({
    at,
    person,
    line,
    input: { kind: 'enter', journey: 'first-visit', by: 'hand' }
  });
  const laneOf = (person: string): string => (chance('first-visit', 'try', person) < 0.5 ? 'one' : 'two');
  const replayed = (step: Step, crowd: PersonState[], inputs: TimedInput[]) =>
    replay({
      journeys: [byHand('first-visit', [step])],
      people: crowd,
      inputs,
      from: MONDAY,
      until: MONDAY + 90 * 24 * HOUR
    }).filter((l) => l['what'] === 'took');

  it('takes the lane of chance, the same in every replay', () => {
    const lines = replayed(
      split(),
      people(40),
      people(40).map((p, i) => enter(p.id, MONDAY, i))
    );
    expect(lines.map((l) => l['lane'])).toEqual(people(40).map((p) => laneOf(p.id)));
    expect(new Set(lines.map((l) => l['lane'])).size).toBe(2);
  });

  it('a walk that comes back by a loop keeps the lane it took', () => {
    const again: Step = { key: 'again', kind: 'loop', to: 'try', atMost: 2 };
    const lines = replay({
      journeys: [byHand('first-visit', [split(), wait('w'), again])],
      people: people(1),
      inputs: [enter('p1', MONDAY, 1)],
      from: MONDAY,
      until: MONDAY + 90 * 24 * HOUR
    });
    expect(new Set(lines.filter((l) => l['what'] === 'took').map((l) => l['lane'])).size).toBe(1);
  });

  describe('with a winner', () => {
    const winner = split({ winner: { by: 'opened', after: { people: 20, wait: 'P1D' } } });
    const opens = (person: string, step: string, line: number): TimedInput => ({
      at: MONDAY + HOUR,
      person,
      line,
      of: { step },
      input: { kind: 'happening', happening: { name: 'opened', at: MONDAY + HOUR } }
    });
    const early = people(20).map((p) => p.id);
    const late = ['q1', 'q2', 'q3', 'q4', 'q5', 'q6'];
    const crowd = () => [...early, ...late].map((id) => reachable(id));
    const arrivals = (after: number) => [
      ...early.map((p, i) => enter(p, MONDAY, i)),
      ...late.map((p, i) => enter(p, MONDAY + after, 50 + i))
    ];
    const lateLanes = (step: Step, extra: TimedInput[], after = 24 * HOUR) =>
      replayed(
        step,
        crowd(),
        [...arrivals(after), ...extra].sort((a, b) => a.at - b.at || a.line - b.line)
      )
        .filter((l) => late.includes(l.person))
        .map((l) => l['lane']);
    const fans = (lane: string) =>
      early.filter((p) => laneOf(p) === lane).map((p, i) => opens(p, lane === 'one' ? 'a' : 'b', 100 + i));

    it('later arrivals take the lane with the highest share of those who did it', () => {
      expect(new Set(lateLanes(winner, fans('two')))).toEqual(new Set(['two']));
      expect(new Set(lateLanes(winner, fans('one')))).toEqual(new Set(['one']));
    });
    it('a tie goes to the first listed', () => expect(new Set(lateLanes(winner, []))).toEqual(new Set(['one'])));
    it('before the wait has passed it is chance; at its very end it is decided', () => {
      expect(lateLanes(winner, fans('two'), 24 * HOUR - 1)).toEqual(late.map(laneOf));
      expect(new Set(lateLanes(winner, fans('two'), 24 * HOUR))).toEqual(new Set(['two']));
    });
    it('before enough are drawn it is chance', () => {
      const more = split({ winner: { by: 'opened', after: { people: 21, wait: 'PT1H' } } });
      expect(lateLanes(more, fans('two')).slice(0, 1)).toEqual([laneOf('q1')]);
    });
    it('shares, not numbers: one of one beats five of nine', () => {
      const ones = early.filter((p) => laneOf(p) === 'one');
      const twos = early.filter((p) => laneOf(p) === 'two');
      const some = [
        ...ones.slice(0, Math.ceil(ones.length / 2)).map((p, i) => opens(p, 'a', 100 + i)),
        ...twos.map((p, i) => opens(p, 'b', 200 + i))
      ];
      expect(new Set(lateLanes(winner, some))).toEqual(new Set(['two']));
    });
    it('a machine’s opens decide nothing, nor opens of a message outside the lane', () => {
      const machines = fans('two').map((f) => ({
        ...f,
        input: { kind: 'happening' as const, happening: { name: 'opened', at: f.at, machine: true } }
      }));
      expect(new Set(lateLanes(winner, machines))).toEqual(new Set(['one']));
    });
    it('by goal: those who reached it', () => {
      const byGoal = split({ winner: { by: 'goal', after: { people: 20, wait: 'P1D' } } });
      const goal = early
        .filter((p) => laneOf(p) === 'two')
        .map((person, i): TimedInput => ({
          at: MONDAY + HOUR,
          person,
          line: 100 + i,
          input: { kind: 'set', addTags: ['done'] }
        }));
      const lines = replay({
        journeys: [
          byHand('first-visit', [byGoal, wait('w', 'P9D')], { goal: { when: { tag: 'done' }, within: 'P30D' } })
        ],
        people: crowd(),
        inputs: [...arrivals(24 * HOUR), ...goal].sort((a, b) => a.at - b.at || a.line - b.line),
        from: MONDAY,
        until: MONDAY + 90 * 24 * HOUR
      });
      expect(
        new Set(lines.filter((l) => l['what'] === 'took' && late.includes(l.person)).map((l) => l['lane']))
      ).toEqual(new Set(['two']));
    });
  });

  it.each<[string, object]>([
    ['one lane', { lanes: [{ label: 'one', weight: 1, lane: [] }] }],
    [
      'no weight at all',
      {
        lanes: [
          { label: 'one', weight: 0, lane: [] },
          { label: 'two', weight: 0, lane: [] }
        ]
      }
    ],
    [
      'a weight below 0',
      {
        lanes: [
          { label: 'one', weight: -1, lane: [] },
          { label: 'two', weight: 2, lane: [] }
        ]
      }
    ],
    ['a winner after nobody', { winner: { by: 'opened', after: { people: 0, wait: 'P1D' } } }],
    ['a winner by something else', { winner: { by: 'bounced', after: { people: 5, wait: 'P1D' } } }]
  ])('refuses %s', (_, more) => expect(splitSchema.safeParse(split(more)).success).toBe(false));
});

it('did of another walk’s copy does not count, that of this walk does', () => {
  const step: BranchStep = {
    key: 'b',
    kind: 'branch',
    by: 'rules',
    lanes: [{ label: 'yes', when: { did: 'opened', of: 'a' }, lane: [put('x')] }],
    otherwise: { label: 'no', lane: [] }
  };
  const j = journey([mail('a'), wait('w'), step], {
    entry: { on: [{ happening: 'tag_added', tag: 'in' }], again: 'each' }
  });
  const lines = run(j, [
    tagged('in'),
    { after: 2 * HOUR, input: { kind: 'set', removeTags: ['in'] } },
    did('opened', 'a', HOUR),
    { ...tagged('in'), after: 3 * HOUR }
  ]);
  expect(lines.filter((l) => l['what'] === 'took').map((l) => l['lane'])).toEqual(['yes', 'no']);
});
