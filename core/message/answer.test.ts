import fc from 'fast-check';
import { expect, it } from 'vitest';
import { answerForm, answers } from './answer.ts';

it.each([
  ['Yes!', 'yes'],
  ['  YES,  please… ', 'yes please'],
  ['don’t', 'dont'],
  ["don't", 'dont'],
  ['ｙｅｓ', 'yes'],
  ['oui/non', 'oui non'],
  ['👍', '👍'],
  ['ok👍yes', 'ok 👍 yes'],
  ['👩‍🚀!', '👩‍🚀'],
  ['👍🏽👍', '👍🏽 👍'],
  ['❤️', '❤'],
  ['1️⃣ please', '1⃣ please'],
  ['é', 'é'],
  ['...', ''],
  ['\n\t', ''],
  ['£5 + 3', '£5 + 3']
])('%j is %j', (text, form) => expect(answerForm(text)).toBe(form));

it.each([
  ['yes', ['yes'], true],
  ['Yes please', ['yes'], true],
  ['yesterday', ['yes'], false],
  ['no, yes', ['yes'], false],
  ['count me in!', ['no', 'Count me in'], true],
  ['', ['yes'], false],
  ['👍 great', ['👍'], true]
])('%j answers %j: %s', (reply, wanted, expected) => expect(answers(reply, wanted.map(answerForm))).toBe(expected));

it('brought to its form twice it is the same', () => {
  fc.assert(
    fc.property(fc.string({ unit: 'grapheme' }), (text) => {
      expect(answerForm(answerForm(text))).toBe(answerForm(text));
    })
  );
});
