import { getCountries, getExampleNumber, parsePhoneNumberFromString } from 'libphonenumber-js/min';
import examples from 'libphonenumber-js/mobile/examples';
import { expect, it } from 'vitest';
import { readPhone } from './phone.ts';

const slow = (text: string): string | null => {
  const number = parsePhoneNumberFromString(text);
  return number?.isPossible() ? number.number : null;
};

it('numbers written whole are read as the library reads them, of every country, too long and too short', () => {
  for (const country of getCountries()) {
    const number = getExampleNumber(country, examples)?.number;
    if (!number) continue;
    for (const text of [number, number.slice(0, -1), `${number}0`, number.slice(0, -4), `${number}00000`])
      expect([text, readPhone(text, null)]).toEqual([text, slow(text)]);
  }
});

it.each([
  ['+44 7700 900123', null, '+447700900123'],
  ['07700 900123', 'GB', '+447700900123'],
  ['07700 900123', null, null],
  ['+4407700900123', null, '+447700900123'],
  ['0049 30 5550001', 'IE', '+49305550001'],
  ['call me', 'GB', null],
  ['+999123456789', null, null]
])('%s of %s is %s', (text, country, expected) => expect(readPhone(text, country)).toBe(expected));
