/** What is beyond the bounds of a journey is told with its path, and costs nothing. */
import { describe, expect, it } from 'vitest';
import { branch, byHand, journey, mail, put, wait } from '../../tests/make.ts';
import type { Condition } from '../condition/schema.ts';
import type { Step } from '../steps/index.ts';
import { checkJourney } from './parse.ts';
import { pathText } from './problems.ts';
import { MOST_LEVELS, MOST_NESTED, MOST_STEPS, sizeProblem } from './size.ts';

const steps = (n: number): Step[] => Array.from({ length: n }, (_, i) => put(`t${i}`));
const deep = (levels: number): Step[] =>
  levels <= 1 ? [put('x')] : [branch(`b${levels}`, 'yes', { tag: 'x' }, deep(levels - 1), [])];
const nested = (n: number): Condition => (n === 0 ? { tag: 'x' } : { not: nested(n - 1) });
const where = (condition: unknown) => journey([put('x')], { entry: { on: [], where: condition as Condition } });
const told = (document: unknown): string[] =>
  checkJourney(document).problems.map((p) => `${pathText(p.path)}: ${p.message}`);

it.each([
  [
    'steps',
    journey(steps(MOST_STEPS)),
    journey(steps(MOST_STEPS + 1)),
    /^lane: found more than 1000 steps, expected at most 1000$/
  ],
  [
    'levels',
    journey(deep(MOST_LEVELS)),
    journey(deep(MOST_LEVELS + 1)),
    /lane: found lanes 13 inside each other, expected at most 12$/
  ],
  [
    'conditions',
    where(nested(MOST_NESTED)),
    where(nested(MOST_NESTED + 1)),
    /not: found conditions 21 inside each other, expected at most 20$/
  ],
  [
    'conditions without end',
    where({ tag: 'x' }),
    where(nested(1800)),
    /expected at most 120 brackets inside each other$/
  ],
  [
    'characters',
    journey([mail('a')]),
    journey([{ ...mail('a'), subject: 'a\0' } as Step]),
    /^lane\[0\]\.subject: found the character NUL/
  ]
])('%s: as many as may be, and one more', (_, fits, beyond, expected) => {
  expect(told(fits)).toEqual([]);
  expect(told(beyond)).toHaveLength(1);
  expect(told(beyond)[0]).toMatch(expected);
});

it('twenty thousand steps are refused without being read', () => {
  let read = 0;
  const lane = steps(20_000).map((step) => new Proxy(step, { ownKeys: (s) => (read++, Reflect.ownKeys(s)) }));
  expect(sizeProblem({ ...journey([]), lane })).not.toBeNull();
  // Once for the brackets, once for its text; nothing else looks into a step.
  expect(read).toBeLessThanOrEqual(40_000);
});

describe('single values', () => {
  it.each([
    [
      'a wait of 101 years',
      [wait('w', 'P101Y')],
      /lane\[0\]\.for: found "P101Y", expected a duration above zero and of at most 100 years/
    ],
    ['a wait of 9000 years', [wait('w', 'P9000Y')], /of at most 100 years/],
    ['an hour count without end', [wait('w', 'PT999999999999999999H')], /of at most 100 years/],
    [
      'a long key',
      [{ ...wait('w'), key: 'k'.repeat(61) }],
      /lane\[0\]\.key: found .*expected 1 to 60 lower-case letters/
    ],
    [
      'a long tag',
      [{ key: 't', kind: 'tag', add: ['t'.repeat(81)] } as Step],
      /lane\[0\]\.add\[0\]: found .*expected at most 80 characters/
    ],
    [
      'a long lane',
      [branch('b', 'l'.repeat(81), { tag: 'x' }, [], [])],
      /lane\[0\]\.lanes\[0\]\.label: .*at most 80 characters/
    ],
    [
      'a long subject',
      [{ ...mail('a'), subject: 's'.repeat(201) } as Step],
      /lane\[0\]\.subject: .*at most 200 characters/
    ],
    [
      'a long text',
      [{ key: 't', kind: 'sms', text: 'x'.repeat(1531) } as Step],
      /lane\[0\]\.text: .*at most 1530 characters/
    ],
    ['points without end', [{ key: 's', kind: 'score', score: 'x', add: 1e300 } as Step], /lane\[0\]\.add/]
  ])('%s is told with path and limit', (_, lane, expected) => expect(told(byHand('try', lane))[0]).toMatch(expected));

  it('names are trimmed', () => {
    const { journey: read } = checkJourney(journey([{ key: 't', kind: 'tag', add: ['  keen '] }]));
    expect(read?.lane[0]).toMatchObject({ add: ['keen'] });
  });
});
