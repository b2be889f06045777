/** What files read of each other, types included. */
import { readdirSync, readFileSync } from 'node:fs';
import { dirname, join, normalize } from 'node:path';

const IMPORTS = /^(?:import|export)\s[^;]*?from\s+'(\.[^']+)'/gm;

/** By file of a folder, the files of that folder it reads; tests are left out. */
export function importsOf(folder: string): Map<string, string[]> {
  const files = readdirSync(folder, { recursive: true, encoding: 'utf8' }).filter(
    (f) => f.endsWith('.ts') && !f.endsWith('.test.ts') && !f.endsWith('.d.ts')
  );
  return new Map(
    files.map((file) => [
      file,
      [...readFileSync(join(folder, file), 'utf8').matchAll(IMPORTS)]
        .map(([, path]) => normalize(join(dirname(file), path ?? '')))
        .filter((path) => !path.startsWith('..'))
    ])
  );
}

/** All that one reads, directly or through others. */
export function reachedFrom(from: string, reads: ReadonlyMap<string, readonly string[]>): Set<string> {
  const found = new Set<string>();
  const waiting = [...(reads.get(from) ?? [])];
  for (let next = waiting.pop(); next !== undefined; next = waiting.pop()) {
    if (found.has(next)) continue;
    found.add(next);
    waiting.push(...(reads.get(next) ?? []));
  }
  return found;
}
