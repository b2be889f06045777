/** The ways through the code that docs/architecture.md tells: every stop is there. */
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, it } from 'vitest';

const root = join(import.meta.dirname, '..');
const text = readFileSync(join(root, 'docs/architecture.md'), 'utf8');
const stops = [...text.matchAll(/^\d+\. `([^`]+)` `([^`]+)`: /gm)].map(
  ([, file = '', name = '']) => [file, name] as const
);

it('tells of two ways', () => expect(stops.length).toBeGreaterThan(35));

it.each(stops)('%s has %s', (file, name) => {
  // Made there, not only read: a function, a class, a method or a constant of that name.
  const made = new RegExp(`(?:function|class|const) ${name}\\b|^ {2}(?:private |override )?(?:async )?${name}\\(`, 'm');
  expect(readFileSync(join(root, file), 'utf8')).toMatch(made);
});
