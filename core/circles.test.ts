/** The core's files read each other one way. The one circle there is stands by its nature: lanes hold steps, and steps hold lanes. */
import { readdirSync, readFileSync } from 'node:fs';
import { dirname, join, normalize } from 'node:path';
import { expect, it } from 'vitest';

const IMPORTS = /^(?:import|export)\s[^;]*?from\s+'(\.[^']+)'/gm;

/** What each file reads, types included. */
function graph(): Map<string, string[]> {
  const files = readdirSync(import.meta.dirname, { recursive: true, encoding: 'utf8' }).filter(
    (f) => f.endsWith('.ts') && !f.endsWith('.test.ts')
  );
  return new Map(
    files.map((file) => [
      file,
      [...readFileSync(join(import.meta.dirname, file), 'utf8').matchAll(IMPORTS)].map(([, path]) =>
        normalize(join(dirname(file), path ?? ''))
      )
    ])
  );
}

/** All that a file reads, directly or through others. */
function reached(from: string, reads: Map<string, string[]>): Set<string> {
  const found = new Set<string>();
  const waiting = [...(reads.get(from) ?? [])];
  for (let file = waiting.pop(); file !== undefined; file = waiting.pop()) {
    if (found.has(file)) continue;
    found.add(file);
    waiting.push(...(reads.get(file) ?? []));
  }
  return found;
}

it('has no circle but that of steps and lanes', () => {
  const reads = graph();
  expect(reads.size).toBeGreaterThan(80);
  const circular = [...reads.keys()].filter((file) => reached(file, reads).has(file)).sort();
  expect(circular).toEqual(
    ['branch', 'index', 'labelled', 'lane', 'listen', 'split'].map((name) => `steps/${name}.ts`)
  );
});
