/** A text that is longer than one part: each part is paid for. */
import { smsSize } from '../message/sms.ts';
import { remark, type Check, type Finding } from './finding.ts';

/** A personal field takes about so much room. */
const FIELD = 'xxxxxxxx';

export const severalParts: Check = (_journey, steps) =>
  steps.flatMap(({ step }): Finding[] => {
    if (step.kind !== 'sms' || !step.text) return [];
    const size = smsSize(step.text.replace(/\{\{[\s\S]*?\}\}/g, FIELD).replace(/\{%[\s\S]*?%\}/g, ''));
    if (size.parts < 2) return [];
    const why = size.alphabet === 'UCS-2' ? ', because some of its characters are in no text’s own alphabet' : '';
    return [
      remark(
        step.key,
        'several-parts',
        `This text takes ${size.parts} parts for everyone it goes to, and each is paid for${why}.`,
        size.alphabet === 'UCS-2'
          ? 'Replace what is no plain letter: typographic quotes, dashes, emoji.'
          : 'Shorten it to 160 characters.'
      )
    ];
  });
