import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { isFit, LONGEST, naming, plainText, repaired, unfitInside } from './text.ts';

describe('text that is asked for', () => {
  it.each([
    ['Ada', true],
    ['👩‍🚀 and a line\nmore', true],
    ['a\0b', false],
    ['half \uD83D of one', false],
    ['x'.repeat(LONGEST.words), true],
    ['x'.repeat(LONGEST.words + 1), false]
  ])('%j is taken: %s', (value, taken) => expect(plainText().safeParse(value).success).toBe(taken));

  it('is trimmed where it names something', () => {
    expect(naming().parse('  keen ')).toBe('keen');
    expect(naming().safeParse(` ${'x'.repeat(81)}`).error?.issues[0]?.message).toBe('expected at most 80 characters');
    expect(plainText().parse(' as it is ')).toBe(' as it is ');
  });
});

it('what was sent to us is made to fit, once and for all, and nothing that fits is touched', () => {
  expect(repaired('a\0b\uD83D')).toBe('a\uFFFDb\uFFFD');
  expect(repaired('👩👩', 3)).toBe('👩');
  fc.assert(
    fc.property(fc.string({ unit: 'binary' }), fc.nat({ max: 40 }), (value, most) => {
      const out = repaired(value, most);
      expect(isFit(out)).toBe(true);
      expect(out.length).toBeLessThanOrEqual(most);
      expect(repaired(out, most)).toBe(out);
      if (isFit(value) && value.length <= most) expect(out).toBe(value);
    })
  );
});

it.each([
  [{ a: ['x', { b: 'y\0' }] }, ['a', 1, 'b']],
  [{ 'k\0': 1 }, ['k\0']],
  [{ a: 'fine', b: [1, null, true] }, null]
])('finds what cannot be kept inside %j', (value, path) => expect(unfitInside(value)?.path ?? null).toEqual(path));
