import { expect, it } from 'vitest';
import type { Condition } from '../condition/schema.ts';
import { settingsProblems } from '../journey/references.ts';
import { settings } from '../../tests/make.ts';
import { segmentCircles } from './circles.ts';

const asking = (name: string, ...others: string[]): { name: string; when: Condition } => ({
  name,
  when: { any: [{ tag: 't' }, { not: { all: others.map((segment) => ({ segment })) } }] }
});

it('one that asks for itself, and several that ask for each other', () => {
  expect([...segmentCircles([asking('a', 'a')])]).toEqual([['a', ['a']]]);
  expect([...segmentCircles([asking('a', 'b'), asking('b', 'c'), asking('c', 'a'), asking('d', 'a')])]).toEqual([
    ['a', ['a', 'b', 'c']],
    ['b', ['b', 'c', 'a']],
    ['c', ['c', 'a', 'b']]
  ]);
});

it('one that is built on others is none', () => {
  expect([...segmentCircles([asking('a', 'b', 'c'), asking('b', 'c'), asking('c')])]).toEqual([]);
});

it('settings with one are refused, with its way', () => {
  const given = settings({ segments: [asking('a', 'b'), asking('b', 'a')] });
  expect(settingsProblems(given, new Map()).map((p) => p.message)).toEqual([
    'found a circle: a, b, a; expected segments that are built on others, and not on themselves',
    'found a circle: b, a, b; expected segments that are built on others, and not on themselves'
  ]);
});
