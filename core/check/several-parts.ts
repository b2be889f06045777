/** A text that is longer than one part: each part is paid for. */
import { smsSize } from '../message/sms.ts';
import { number } from '../tell/words.ts';
import type { Settings } from '../settings/schema.ts';
import { remark, type Check, type Finding } from './finding.ts';

const money = ({ amount, currency }: NonNullable<Settings['textPart']>, parts: number): string =>
  `${(amount * parts).toFixed(2)} ${currency}`;

/** A personal field takes about so much room. */
const FIELD = 'xxxxxxxx';

export const severalParts: Check = (_journey, steps, { settings, enterMonthly }) => {
  const price = settings?.textPart;
  /** What the parts behind the first come to: for those who enter, or for each, as far as it is known. */
  const costs = (parts: number): string => {
    const more = parts - 1;
    if (!enterMonthly) return price ? ` ${money(price, more)} more a person.` : '';
    const all = enterMonthly * more;
    return ` For the ${number(enterMonthly)} who enter in a month that is up to ${price ? money(price, all) : `${number(all)} parts`} more.`;
  };
  return steps.flatMap(({ step }): Finding[] => {
    if (step.kind !== 'sms' || !step.text) return [];
    const size = smsSize(step.text.replace(/\{\{[\s\S]*?\}\}/g, FIELD).replace(/\{%[\s\S]*?%\}/g, ''));
    if (size.parts < 2) return [];
    const why = size.alphabet === 'UCS-2' ? ', because some of its characters are in no text’s own alphabet' : '';
    return [
      remark(
        step.key,
        'several-parts',
        `This text takes ${size.parts} parts for everyone it goes to, and each is paid for${why}.${costs(size.parts)}`,
        size.alphabet === 'UCS-2'
          ? 'Replace what is no plain letter: typographic quotes, dashes, emoji.'
          : 'Shorten it to 160 characters.'
      )
    ];
  });
};
