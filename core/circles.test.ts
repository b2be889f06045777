/** The core's files read each other one way. The one circle there is stands by its nature: lanes hold steps, and steps hold lanes. */
import { expect, it } from 'vitest';
import { importsOf, reachedFrom } from '../tests/imports-of.ts';

it('has no circle but that of steps and lanes', () => {
  const reads = importsOf(import.meta.dirname);
  expect(reads.size).toBeGreaterThan(80);
  const circular = [...reads.keys()].filter((file) => reachedFrom(file, reads).has(file)).sort();
  expect(circular).toEqual(
    ['branch', 'index', 'labelled', 'lane', 'listen', 'split'].map((name) => `steps/${name}.ts`)
  );
});
