import { expect, it } from 'vitest';
import { branch, mail, put, wait } from '../../tests/make.ts';
import type { Step } from '../steps/index.ts';
import { behindLoops } from './behind-loops.ts';

const back = (key: string, to: string, more: object = {}): Step => ({ key, kind: 'loop', to, atMost: 2, ...more });
const keys = (lane: Step[]): string[] => [...behindLoops({ lane })];

it('from the step that a loop leads to, to the end of the journey', () => {
  expect(keys([mail('a'), mail('b'), back('l', 'b'), mail('c')])).toEqual(['b', 'l', 'c']);
  expect(keys([mail('a'), wait('w'), mail('b')])).toEqual([]);
});

it('on its own lane, and behind where the lanes meet again, not on the lanes beside it', () => {
  const lane = [
    mail('a'),
    branch('q', 'yes', { tag: 't' }, [mail('b'), back('l', 'b'), put('x')], [mail('c')]),
    mail('d')
  ];
  expect(keys(lane)).toEqual(['b', 'l', 'put-x', 'd']);
});

it('lanes that hang below it are inside', () => {
  expect(keys([mail('a'), branch('q', 'yes', { tag: 't' }, [mail('b')], [back('l', 'a')])])).toEqual([
    'a',
    'q',
    'b',
    'l'
  ]);
});
