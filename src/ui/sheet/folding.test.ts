import { expect, it } from 'vitest';
import { branch, mail, put } from '../../../tests/make.ts';
import { Folding } from './folding.svelte.ts';

const inner = (key: string): ReturnType<typeof branch> => branch(key, 'yes', { tag: key }, [put(key)], []);
const document = {
  lane: [mail('a'), branch('top', 'left', { tag: 't' }, [inner('l1'), inner('l2')], [inner('r1')]), inner('later')]
};

it('folds and unfolds by hand', () => {
  const folding = new Folding();
  folding.toggle('top');
  expect([...folding.keys]).toEqual(['top']);
  folding.toggle('top');
  expect([...folding.keys]).toEqual([]);
});

it('one lane alone: what it is inside of and what is inside it stay, all else is folded', () => {
  const folding = new Folding();
  folding.only(document, ['lane', 1, 'lanes', 0, 'lane']);
  expect([...folding.keys]).toEqual(['r1', 'later']);
  folding.only(document, ['lane', 1, 'lanes', 0, 'lane', 0, 'lanes', 0, 'lane']);
  expect([...folding.keys]).toEqual(['l2', 'r1', 'later']);
  folding.only(document, ['lane']);
  expect([...folding.keys]).toEqual([]);
});

it('and all as they were folded before', () => {
  const folding = new Folding();
  folding.toggle('later');
  folding.only(document, ['lane', 1, 'otherwise', 'lane']);
  expect([folding.alone, [...folding.keys]]).toEqual([true, ['l1', 'l2', 'later']]);
  folding.only(document, ['lane']);
  folding.all();
  expect([folding.alone, [...folding.keys]]).toEqual([false, ['later']]);
});
