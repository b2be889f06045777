/**
 * A connection remembers a statement by its name: two of one name would work, or not, by which connection they meet. So each
 * name stands in the code once.
 */
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, it } from 'vitest';

/** Names that are put together, spelled out. */
const MADE: Record<string, string[]> = {
  'tasks-${view}': ['tasks-mine', 'tasks-due', 'tasks-all', 'tasks-done'],
  'put-${table}': ['put-person_tags', 'put-person_lists'],
  'renew-${this.table}': ['renew-messages', 'renew-errands', 'renew-answers', 'renew-letters'],
  'take-${table}': ['take-person_tags', 'take-person_lists']
};

it('no two statements have one name', () => {
  const seen = new Map<string, string>();
  const twice: string[] = [];
  for (const file of readdirSync('server', { recursive: true, encoding: 'utf8' }).filter((f) => f.endsWith('.ts'))) {
    const text = readFileSync(join('server', file), 'utf8');
    for (const [, plain, made] of text.matchAll(/name: (?:'([a-z][\w-]*)'|`([^`]+)`),\s*text:/g)) {
      for (const name of plain ? [plain] : (MADE[made ?? ''] ?? [made ?? ''])) {
        const other = seen.get(name);
        if (other !== undefined) twice.push(`${name}: ${other}, ${file}`);
        seen.set(name, file);
      }
    }
  }
  expect(seen.size).toBeGreaterThan(50);
  expect(twice).toEqual([]);
});
