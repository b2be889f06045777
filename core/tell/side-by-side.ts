/** Two editions of a journey in words, row by row beside each other: what both have stands on one row. */
import { diffArrays } from 'diff';
import type { Journey } from '../journey/schema.ts';
import { readThrough, type Sentence } from './read-through.ts';

export interface Beside {
  before: Sentence | null;
  after: Sentence | null;
  /** `=` the same, `~` in other words, `−` only before, `+` only after. */
  sign: '=' | '~' | '−' | '+';
}

/** Further apart than this many lines, two editions have nothing in common that would be worth looking for. */
const MOST_APART = 1000;

/** What a sentence tells of: its step, and which of that step's sentences it is. */
function named(sentences: Sentence[]): { id: string; sentence: Sentence }[] {
  const seen = new Map<string, number>();
  return sentences.map((sentence) => {
    // The journey's own rules have no step: they are told apart by how they begin.
    const n = sentence.step === null ? 0 : (seen.get(sentence.step) ?? 0);
    if (sentence.step !== null) seen.set(sentence.step, n + 1);
    return { id: `${sentence.step ?? (sentence.moment || sentence.text.split(' ', 2).join(' '))} ${n}`, sentence };
  });
}

export function sideBySide(before: Journey, after: Journey): Beside[] {
  const [a, b] = [named(readThrough(before)), named(readThrough(after))];
  const parts = diffArrays(
    a.map((s) => s.id),
    b.map((s) => s.id),
    { maxEditLength: MOST_APART }
  ) as ReturnType<typeof diffArrays<string>> | undefined;
  if (!parts)
    return [
      ...a.map(({ sentence }): Beside => ({ before: sentence, after: null, sign: '−' })),
      ...b.map(({ sentence }): Beside => ({ before: null, after: sentence, sign: '+' }))
    ];
  const rows: Beside[] = [];
  let [i, j] = [0, 0];
  for (const { added, removed, count } of parts) {
    for (let n = 0; n < count; n++) {
      const was = added ? null : (a[i++]?.sentence ?? null);
      const is = removed ? null : (b[j++]?.sentence ?? null);
      rows.push({
        before: was,
        after: is,
        sign: added ? '+' : removed ? '−' : was?.text === is?.text && was?.depth === is?.depth ? '=' : '~'
      });
    }
  }
  return rows;
}
