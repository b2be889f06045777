/** Which part of the server reads which: as docs/architecture.md says, never in a circle, and nothing is allowed that is not needed. */
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, it } from 'vitest';
import { importsOf, reachedFrom } from '../tests/imports-of.ts';
import { serverParts } from '../tests/server-parts.js';

const parts = serverParts(readFileSync(join(import.meta.dirname, '../docs/architecture.md'), 'utf8'));
const reads = importsOf(import.meta.dirname);
const partOf = (file: string): string | null => (file.includes('/') ? (file.split('/')[0] ?? null) : null);

it('no file of the server reads itself by way of others', () => {
  expect(reads.size).toBeGreaterThan(150);
  expect([...reads.keys()].filter((file) => reachedFrom(file, reads).has(file))).toEqual([]);
});

it('every part has a line, and no part reads itself by way of others', () => {
  const there = new Set([...reads.keys()].flatMap((file) => partOf(file) ?? []));
  expect([...parts.keys()].sort()).toEqual([...there].sort());
  expect([...parts.keys()].filter((part) => reachedFrom(part, parts).has(part))).toEqual([]);
});

it('what a line allows is read by some file of that part', () => {
  const used = new Map<string, Set<string>>();
  for (const [file, others] of reads)
    for (const other of others) {
      const [from, to] = [partOf(file), partOf(other)];
      if (from && to) used.set(from, (used.get(from) ?? new Set()).add(to));
    }
  for (const [part, allowed] of parts)
    expect([part, allowed.filter((other) => !used.get(part)?.has(other))]).toEqual([part, []]);
});
