/** What a copy still has of its original: two messages of the same words. */
import { isMessage } from '../steps/index.ts';
import { remark, type Check } from './finding.ts';
import { wordsOf } from './message-words.ts';

export const leftOver: Check = (_journey, steps) => {
  const seen = new Map<string, string>();
  return steps.flatMap(({ step, path }) => {
    if (!isMessage(step)) return [];
    const words = wordsOf(step).trim();
    // Texts of a word or two are alike by chance.
    if (words.length < 20) return [];
    const before = seen.get(words);
    seen.set(words, path.join('.'));
    return before === undefined
      ? []
      : [
          remark(
            step.key,
            'left-over',
            'This message says word for word what another one says.',
            'Write what is new in it, or take one away.'
          )
        ];
  });
};
