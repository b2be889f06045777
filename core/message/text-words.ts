/** Words that a text may consist of and that are more than an answer: to stop, to start again, to ask for help. */
import { z } from 'zod';
import { naming, plainText } from '../text/text.ts';
import { answerForm } from './answer.ts';
import { asksToStop } from './stop.ts';

export type TextWord = 'stop' | 'start' | 'help';

const list = z.array(naming(40).min(1)).max(50);
/** A workspace's own words, beside those of each language, and what is said to whoever asks for help. */
export const textWordsSchema = z.strictObject({
  stop: list.optional(),
  start: list.optional(),
  help: list.optional(),
  helpText: plainText(480).optional()
});
export type TextWords = z.infer<typeof textWordsSchema>;

/** By language. Written as answers are compared: lower case, without what is around them. Stopping is {@link asksToStop}. */
const KNOWN: Record<Exclude<TextWord, 'stop'>, Record<string, string[]>> = {
  start: {
    en: ['start', 'unstop', 'subscribe'],
    de: ['anmelden'],
    fr: ['départ', 'depart'],
    es: ['alta'],
    ga: ['tosaigh']
  },
  help: { en: ['help', 'info'], de: ['hilfe'], fr: ['aide'], es: ['ayuda'], ga: ['cabhair'] }
};

/** Words that people put around it, and that change nothing. */
const AROUND =
  /^(?:please|pls|ok|okay|bitte) | (?:please|pls|now|thanks|thank you|thx|texting|texting me|messaging me|texts|it|bitte)$/;

/** What a text asks for, however it is written, with no more than courtesies; `null` for an answer. Stopping comes first. */
export function wordOf(text: string, own: TextWords = {}): TextWord | null {
  let form = answerForm(text);
  for (let before = ''; before !== form;) {
    before = form;
    form = form.replace(AROUND, '');
  }
  const isOf = (word: TextWord, known: string[]): boolean =>
    known.includes(form) || (own[word] ?? []).some((w) => answerForm(w) === form);
  if (asksToStop(text) || isOf('stop', [])) return 'stop';
  return (['start', 'help'] as const).find((word) => isOf(word, Object.values(KNOWN[word]).flat())) ?? null;
}
