/** Keys of all kinds: what was made is read back, as what it is, however mail servers write it; nothing else is. */
import { randomBytes } from 'node:crypto';
import fc from 'fast-check';
import { expect, it } from 'vitest';
import {
  answerKey,
  errandKey,
  keysIn,
  letterKey,
  messageKey,
  OWN_ADDRESS,
  readKey,
  type KeyRef
} from './message-id.ts';

const secret = randomBytes(32);
const id = fc.integer({ min: 0, max: Number.MAX_SAFE_INTEGER });
const refs: fc.Arbitrary<KeyRef> = fc.oneof(
  fc.record({
    kind: fc.constant('message' as const),
    person: id,
    message: id,
    copy: fc.integer({ min: 0, max: 30_000 })
  }),
  fc.record({ kind: fc.constant('errand' as const), person: id, errand: id }),
  fc.record({ kind: fc.constant('answer' as const), person: id, answer: id }),
  fc.record({ kind: fc.constant('letter' as const), person: id, letter: id })
);
const made = (ref: KeyRef): string => {
  switch (ref.kind) {
    case 'message':
      return messageKey(secret, ref);
    case 'errand':
      return errandKey(secret, ref);
    case 'answer':
      return answerKey(secret, ref);
    case 'letter':
      return letterKey(secret, ref);
  }
};

it('each is read back as what it is, in either case, from addresses and from texts', () =>
  fc.assert(
    fc.property(refs, fc.constantFrom('bounce', 'reply', 'unsubscribe'), fc.boolean(), (ref, use, upper) => {
      const key = made(ref);
      const address = `${use}+${upper ? key.toUpperCase() : key}@quillmoor.example`;
      const found = OWN_ADDRESS.exec(address);
      expect(readKey(secret, found?.[2] ?? '')).toEqual(ref);
      for (const text of [
        `<${key}@quillmoor.example>`,
        `Message-ID: <${key}@x>\r\nSubject`,
        `to ${address}, for good`
      ]) {
        const keys = keysIn(text);
        expect(keys).toHaveLength(1);
        expect(readKey(secret, keys[0] ?? '')).toEqual(ref);
      }
      // What stands before the @ of an address has at most 64 octets (RFC 5321, 4.5.3.1.1).
      if (ref.person < 2 ** 40) expect(address.indexOf('@')).toBeLessThanOrEqual(64);
    })
  ));

it('another kind, another secret, another letter: none of ours', () =>
  fc.assert(
    fc.property(refs, id, (ref, n) => {
      const key = made(ref);
      expect(readKey(randomBytes(32), key)).toBeNull();
      const at = n % key.length;
      const changed = key.slice(0, at) + (key[at] === 'b' ? 'c' : 'b') + key.slice(at + 1);
      expect(readKey(secret, changed)).toBeNull();
      for (const prefix of ['', 'e.', 'a.', 'l.']) {
        const other = prefix + key.replace(/^[eal]\./, '');
        if (other !== key) expect(readKey(secret, other)).toBeNull();
      }
    })
  ));
