import { randomBytes } from 'node:crypto';
import fc from 'fast-check';
import { expect, it } from 'vitest';
import { readToken, signToken, type Token } from './token.ts';

const secret = randomBytes(32);
const ids = fc.integer({ min: 0, max: Number.MAX_SAFE_INTEGER });
const tokens: fc.Arbitrary<Token> = fc.record({ person: ids, message: ids, number: fc.integer({ min: 0, max: 500 }) });

it('comes back as it was signed', () =>
  fc.assert(
    fc.property(tokens, (t) => {
      expect(readToken(secret, 'link', signToken(secret, 'link', t))).toEqual(t);
    })
  ));

it('is good for one use and one secret only', () => {
  const t = signToken(secret, 'open', { person: 7, message: 8, number: 0 });
  expect(readToken(secret, 'unsubscribe', t)).toBeNull();
  expect(readToken(randomBytes(32), 'open', t)).toBeNull();
});

it('refuses every changed, cut or longer one', () => {
  const good = signToken(secret, 'link', { person: 12_345, message: 678, number: 1 });
  fc.assert(
    fc.property(fc.integer({ min: 0, max: good.length - 1 }), fc.constantFrom(...'ABCDEFabcdef0189-_'), (i, c) => {
      const changed = good.slice(0, i) + c + good.slice(i + 1);
      if (changed !== good) expect(readToken(secret, 'link', changed)).toBeNull();
    })
  );
  for (let n = 0; n < good.length; n++) expect(readToken(secret, 'link', good.slice(0, n))).toBeNull();
  for (const bad of [good + 'A', good + '=', '../../etc', '', 'x'.repeat(500)])
    expect(readToken(secret, 'link', bad)).toBeNull();
});
