/** Colours stand in the theme, and nowhere else. */
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, it } from 'vitest';

const root = join(import.meta.dirname, '..');
const files = readdirSync(root, { recursive: true, encoding: 'utf8' });
const COLOUR = /#(?:[0-9a-f]{3,4}|[0-9a-f]{6}|[0-9a-f]{8})\b|\b(?:rgb|hsl)a?\(/gi;

it.each(files.filter((f) => f.endsWith('.svelte')))('%s takes its colours from the theme', (file) => {
  expect(readFileSync(join(root, file), 'utf8').match(COLOUR) ?? []).toEqual([]);
});

it('every value of the theme that is used stands there', () => {
  const theme = readFileSync(join(root, 'ui/theme.css'), 'utf8');
  const used = files.flatMap((f) =>
    /\.(svelte|css|ts)$/.test(f) && !f.endsWith('.test.ts')
      ? [...readFileSync(join(root, f), 'utf8').matchAll(/(?:var|token)\('?(--(?!cds)[\w-]+)/g)].map((m) => m[1])
      : []
  );
  const set = files.flatMap((f) =>
    f.endsWith('.svelte') ? [...readFileSync(join(root, f), 'utf8').matchAll(/(--[\w-]+): /g)].map((m) => m[1]) : []
  );
  expect([...new Set(used)].filter((name) => !theme.includes(`${name}:`) && !set.includes(name))).toEqual([]);
});
