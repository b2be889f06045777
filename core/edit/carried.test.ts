import { describe, expect, it } from 'vitest';
import { branch, journey, mail, put, text, wait } from '../../tests/make.ts';
import { STEP_KINDS, STEP_NAMES, type Step } from '../steps/index.ts';
import { namingOf } from '../tell/read-through.ts';
import { carriedBy } from './carried.ts';
import { copyOf } from './edit.ts';

const told = (block: Step, others: Step[] = []): string[] =>
  carriedBy([block], namingOf(journey([...others, block]))).map(
    (c) => `${c.key}: ${c.what} ${c.value}${c.outside ? ' (outside)' : ''}`
  );

describe('what a copied block carries', () => {
  it.each<[string, Step, string[]]>([
    ['an email', mail('a'), ['a: subject About a', 'a: text See https://quillmoor.example/a']],
    [
      'a tag on and off',
      { ...put('x', 'y'), remove: ['z'] } as Step,
      ['put-x-y: puts on x, y', 'put-x-y: takes off z']
    ],
    ['points', { key: 's', kind: 'score', score: 'interest', add: 5 }, ['s: score interest', 's: points 5']],
    ['a wait', wait('w', 'P2D'), ['w: waits 2 days']],
    [
      'a note and a name',
      { ...wait('w'), name: 'Breathe', note: 'ask Sam' } as Step,
      ['w: waits 1 day', 'w: name Breathe', 'w: note ask Sam']
    ],
    ['fields', { key: 'f', kind: 'field', set: { visits: { add: 1 } } }, ['f: set visits add 1']]
  ])('%s', (_, step, expected) => expect(told(step)).toEqual(expected));

  it('asks of its lanes, those about what was not copied along first', () => {
    const block = branch('b', 'yes', { all: [{ did: 'opened', of: 'a' }, { tag: 'keen' }] }, [put('x')], [text('t')]);
    expect(told(block, [mail('a')])).toEqual([
      'b: takes those who opened About a and have the tag keen (outside)',
      'put-x: puts on x',
      't: text Clear skies'
    ]);
  });

  it('what points inside the copy is not outside', () => {
    const block = branch(
      'o',
      'all',
      { tag: 't' },
      [mail('a'), branch('b', 'yes', { did: 'opened', of: 'a' }, [], [])],
      []
    );
    const copy = copyOf(journey([block]), block);
    expect(carriedBy([copy], (key) => key).map((c) => [c.key, c.outside])).toEqual([
      ['o-2', false],
      ['a-2', false],
      ['a-2', false],
      ['b-2', false]
    ]);
  });

  it.each(STEP_NAMES)('%s: each value once, with words', (kind) => {
    const items = carriedBy([STEP_KINDS[kind].create('k')], (key) => key);
    expect(new Set(items.map((c) => c.id)).size).toBe(items.length);
    for (const c of items) expect(`${c.what} ${c.value}`).not.toMatch(/undefined|\[object/);
  });
});
